"""Results as they are printed: true to the finding, within the window, and silent about nothing."""

import io
import unittest
from dataclasses import replace
from pathlib import Path

from PIL import Image
from rich.console import Console

from tests.support import ProjectTest
from unvek.core.errors import InputError, Problem
from unvek.core.findings.checkup import Checkup
from unvek.core.findings.comparison import Comparison, ComparisonRow, FailuresFound, MeasureFound, RatioFound
from unvek.core.findings.outputs import OutputCell, OutputItem, OutputRow, OutputSheet
from unvek.core.findings.runs import OutputFound, RunLine, RunList, RunWhole
from unvek.core.findings.tradeoff import Count, CountFound, Tradeoff, TradeoffRow
from unvek.show.checkup import print_checkup
from unvek.show.comparison import comparison_records, print_comparison
from unvek.show.runs import print_run, print_runs
from unvek.show.sheet import draw_sheet
from unvek.show.tradeoff import print_tradeoff

WIDTHS = (60, 80, 120, 200)
RIG = {"processor": "a processor\x1b[2J", "cores": 2, "memory_bytes": 2**34, "system": "S", "kernel": "1"}


def printed(draw, finding, width: int = 120) -> str:
    file = io.StringIO()
    draw(Console(file=file, width=width, highlight=False, markup=False), finding)
    return file.getvalue()


def measure(median: float | None, ratio: float | None = None, answer: str | None = None, unit: str = "s", drift=None,
            more_rounds=None) -> MeasureFound:  # fmt: skip
    around = (None, None) if median is None else (median * 0.99, median * 1.01)
    found = None if ratio is None else RatioFound(value=ratio, low=ratio * 0.98, high=ratio * 1.02)
    return MeasureFound(unit=unit, better="less", median=median, low=around[0], high=around[1], ratio=found, answer=answer,
                        more_rounds=more_rounds, drift=drift, dots=() if median is None else (median, median * 1.05))  # fmt: skip


def row(name: str, form: str, time: MeasureFound, failed: int = 0) -> ComparisonRow:
    return ComparisonRow(
        variant=name, form=form, rounds=3, runs=12, finished=12 - failed, steps=20, weights_bytes=2_500_000,
        first_run_s=0.2,
        measures={"time.total": time, "step.time": measure(0.008), "time.load": measure(0.1),
                  "memory.peak": measure(40e6, unit="B"), "likeness": measure(0.93, unit="", drift=0.16)},
        failures=FailuresFound(count=failed, share=failed / 12, low=0.0, high=0.4, kinds={}),
    )  # fmt: skip


COMPARISON = Comparison(
    title="Which \x1b[31mpainter?", reference="full", rig=RIG, quality="likeness", notes=("A note.",),
    rows=(
        row("full", "full", measure(0.166)),
        row("swift", "distilled", measure(0.018, 0.108, "faster")),
        row("odd", "quantized", measure(0.165, 0.99, "unclear", more_rounds=4), failed=3),
        row("none", "mixed", measure(None), failed=12),
    ),
)  # fmt: skip


class PrintedComparison(unittest.TestCase):
    def test_it_fits_every_width_and_names_every_variant(self):
        for width in WIDTHS:
            text = printed(print_comparison, COMPARISON, width)
            self.assertTrue(all(len(line) <= width for line in text.splitlines()), (width, text))
            self.assertNotIn("\x1b", text)
            for name in ("● full", "▲ swift", "■ odd", "★ none", "A note."):
                self.assertIn(name, text)

    def test_it_opens_with_what_matters_most(self):
        text = printed(print_comparison, COMPARISON)
        self.assertIn("swift is fastest: 9.26x as fast (89 % less time), likeness 0.930.", text)
        self.assertIn("9.26x", text)
        self.assertIn("Unclear so far, and about how many more rounds would settle it: odd (4).", text)

    def test_failures_are_not_left_out_for_want_of_room(self):
        self.assertIn("3 of 12", printed(print_comparison, COMPARISON, 80))
        calm = replace(COMPARISON, rows=COMPARISON.rows[:2])
        self.assertIn("Left out for want of room", printed(print_comparison, calm, 80))

    def test_records_carry_units_in_their_names(self):
        record = comparison_records(COMPARISON)[1]
        self.assertEqual((record["time.total_s"], record["time.total.answer"]), (0.018, "faster"))
        self.assertEqual(record["memory.peak_bytes"], 40e6)


class PrintedTradeoff(unittest.TestCase):
    def tradeoff(self, pick: str | None) -> Tradeoff:
        def place(value: float) -> CountFound:
            return CountFound(median=value, low=value * 0.99, high=value * 1.01)

        rows = tuple(
            TradeoffRow(variant=name, form=form, values={"time.total": place(time), "likeness": place(alike)}, drift=0.1,
                        on_frontier=not beaten, probability=0.97, beaten_by=beaten, unmet=unmet)
            for name, form, time, alike, beaten, unmet in (
                ("full", "full", 0.166, 1.0, (), ()), ("swift", "distilled", 0.018, 0.93, (), ()),
                ("worse", "quantized", 0.2, 0.9, ("full", "swift"), ("likeness >= 0.95",)),
            )
        )  # fmt: skip
        counts = (
            Count(measure="time.total", unit="s", better="less"),
            Count(measure="likeness", unit="", better="more"),
        )
        return Tradeoff(
            title="t", reference="full", counts=counts, rows=rows, pick=pick, because="It is so.", notes=("Mind.",)
        )

    def test_the_pick_stands_first_with_its_reason(self):
        for width in WIDTHS:
            lines = printed(print_tradeoff, self.tradeoff("swift"), width).splitlines()
            self.assertEqual(lines[:2], ["Pick swift", "It is so."])
            self.assertTrue(all(len(line) <= width for line in lines))
        text = printed(print_tradeoff, self.tradeoff("swift"), 200)
        for words in ("full, swift", "likeness >= 0.95", "0.97", "on it", "beaten", "Mind."):
            self.assertIn(words, text)

    def test_no_pick_is_said(self):
        self.assertIn("No pick", printed(print_tradeoff, self.tradeoff(None)))


LINE = RunLine(run=7, variant="full", form="full", task="violet", seed=11, round=1, repeat=2, warm_up=False, varied={},
               status="finished", voided=None, started="2026-01-01T10:00:00.123+00:00", time_s=0.166, steps=3,
               step_time_s=0.05, source="measured")  # fmt: skip


class PrintedRuns(unittest.TestCase):
    def test_lines_tell_warm_ups_failures_and_voided_runs_apart(self):
        rows = (LINE, replace(LINE, run=8, warm_up=True), replace(LINE, run=9, status="stalled", time_s=None, steps=0),
                replace(LINE, run=10, voided="a lorry drove\nby"))  # fmt: skip
        text = printed(print_runs, RunList(rows=rows), 160)
        for words in ("1.2", "warm-up", "stalled", "voided: a lorry drove by", "2026-01-01 10:00:00", "–"):
            self.assertIn(words, text)
        self.assertIn("There are no runs here yet", printed(print_runs, RunList(rows=())))

    def test_one_run_is_told_whole(self):
        whole = RunWhole(
            **{name: getattr(LINE, name) for name in RunLine.__slots__}, launch=3, place=2, error=None, first_s=0.05,
            load_s=0.1, step_times_s=(0.05, 0.05, 0.066), phases={"start": 0.0, "steps": 0.166}, measures={"likeness": 0.93},
            faults=(("retry", "once"),), outputs=(OutputFound(path="outputs/L1/label.png", bytes=5400, digest="ab" * 32),),
            machine={"memory_peak_bytes": 40_000_000, "memory_device_bytes": None, "cpu_s": 0.16, "rig": RIG},
            provenance={"settings": {"steps": 3}, "script": {"painter.py": "cd" * 32}, "files": {}, "python": "3.11.7"},
            log_tail="last \x1b[31mwords", text="water weekly",
        )  # fmt: skip
        text = printed(print_run, whole)
        self.assertNotIn("\x1b", text)
        for words in ("Run 7", "finished in 166 ms", "slowest 66 ms", "▆▆█", "steps: 166 ms", "38.1 MiB", "likeness: 0.93",
                      "retry: once", "sha256 abababababab", "painter.py", "Python 3.11.7", "water weekly", "[31mwords"):  # fmt: skip
            self.assertIn(words, text)


class PrintedCheck(unittest.TestCase):
    def test_errors_have_place_finding_and_wish(self):
        found = Checkup(
            plan="plan.toml", title=None, ok=False, doubts=(), reference=None, variants=(), items=0, rounds=0, repeats=0,
            warmups=0, cells=0, runs=0, already=0, forecast_s=None,
            errors=(Problem(where="schedule.rounds", found="'\x07three'", wanted="a whole number"),),
        )  # fmt: skip
        self.assertEqual(printed(print_checkup, found).splitlines(), [
            "plan.toml: 1 error", "", "schedule.rounds", "  found   '�three'", "  wanted  a whole number",
        ])  # fmt: skip


class DrawnSheet(ProjectTest):
    def sheet(self, *pictures: Path | None) -> OutputSheet:
        cells = tuple(
            OutputCell(picture=p, steps=4, time_s=0.02, likeness=0.9, status="finished" if p else "failed")
            for p in pictures
        )
        items = tuple(OutputItem(task="violet", seed=n, prompt="a long prompt " * 30) for n in range(len(pictures)))
        return OutputSheet(title="t", reference="full", quality="likeness", items=items,
                           rows=(OutputRow(variant="full", form="tuned", cells=cells),))  # fmt: skip

    def test_failed_and_unreadable_outputs_keep_their_place(self):
        good, bad = self.folder / "good.png", self.write("bad.png", "no picture")
        Image.new("RGB", (30, 20), "#ff0000").save(good)
        out = self.folder / "out.png"
        draw_sheet(self.sheet(good, bad, None), out)
        with Image.open(out) as drawn:
            reds = [count for count, colour in drawn.convert("RGB").getcolors(10**6) if colour == (255, 0, 0)]
        self.assertEqual(reds, [30 * 20 * 5 * 5])
        draw_sheet(self.sheet(good), out, zoom=2)
        with Image.open(out) as drawn:
            self.assertIn((30 * 20 * 4, (255, 0, 0)), drawn.convert("RGB").getcolors(10**6))

    def test_a_sheet_that_is_too_large_or_has_no_place_is_refused(self):
        good = self.folder / "good.png"
        Image.new("RGB", (400, 400)).save(good)
        with self.assertRaisesRegex(InputError, "choose fewer"):
            draw_sheet(self.sheet(*[good] * 900), self.folder / "out.png")
        with self.assertRaisesRegex(InputError, "can't be written"):
            draw_sheet(self.sheet(good), self.folder / "no" / "such" / "out.png")


if __name__ == "__main__":
    unittest.main()
