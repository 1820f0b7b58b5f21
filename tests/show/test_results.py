"""Results as they are printed: true to the finding, within the window, and silent about nothing."""

import io
import tempfile
import unittest
from dataclasses import replace
from functools import partial
from pathlib import Path

from PIL import Image
from rich.console import Console

from unvek.core.errors import Problem
from unvek.core.findings.audit.audit import Doubt
from unvek.core.findings.comparison.digits import digits_of
from unvek.core.findings.comparison.found import Comparison, ComparisonRow, FailuresFound, MeasureFound, RatioFound
from unvek.core.findings.comparison.sentences import sentence
from unvek.core.findings.log.forecasts import BasisScored, ForecastScored, ForecastScores, SessionScored
from unvek.core.findings.log.run_list import RunLine, RunList
from unvek.core.findings.log.sessions import SessionLine, SessionList
from unvek.core.findings.log.team import MachineLine, Team
from unvek.core.findings.log.whole_run import MeasurementFound, NoteFound, OutputFound, RunWhole
from unvek.core.findings.tradeoff.found import Count, CountFound, Tradeoff, TradeoffRow
from unvek.core.plan.model import USUAL_MARGIN
from unvek.core.rig.quiet import Disturber, Quietness
from unvek.core.rig.report import RigReport
from unvek.core.session.checkup import Checkup
from unvek.core.session.trial import Trial, TrialRun
from unvek.core.stats.over_launches.speedup import Split
from unvek.core.stats.student import Estimate
from unvek.show.results.checkup import print_checkup
from unvek.show.results.comparison import comparison_records, print_comparison
from unvek.show.results.forecasts import print_forecasts
from unvek.show.results.rig import print_rig
from unvek.show.results.run_list import print_runs
from unvek.show.results.sessions import print_sessions
from unvek.show.results.team import print_team
from unvek.show.results.tradeoff import print_tradeoff
from unvek.show.results.trial import print_trial
from unvek.show.results.whole_run import print_run

WIDTHS = (60, 80, 120, 200)
RIG = {"processor": "a processor\x1b[2J", "cores": 2, "memory_bytes": 2**34, "system": "S", "kernel": "1"}

MACHINE = {
    "memory_peak_bytes": 40_000_000, "memory_device_bytes": 10 * 2**20, "cpu_s": 0.16, "rig": {**RIG, "fingerprint": "f" * 16},
    "looks": 9, "processes": 3, "memory_along": [[0.0, 2**20], [0.1, 2**22], [0.2, 2**21]], "model_share": 0.95, "others_share": 0.4, "stolen_share": 0.05, "waited_for_cpu_share": 0.12,
    "waited_for_io_share": 0.0, "memory_available_low_bytes": 2**30, "swap_used_high_bytes": 0, "clock_low_hz": None,
    "temperature_high_c": 71.0, "energy_j": 12.5, "energy_source": "watts given by hand",
    "accelerators": [{"name": "a device", "simulated": False, "memory_used_high_bytes": 10 * 2**20, "temperature_high_c": 55.0,
                      "clock_low_hz": 1.5e9, "power_high_w": 60.0}],
}  # fmt: skip


def printed(draw, finding, width: int = 120) -> str:
    file = io.StringIO()
    draw(Console(file=file, width=width, highlight=False, markup=False), finding)
    return file.getvalue()


def measure(median: float | None, ratio: float | None = None, answer: str | None = None, unit: str = "s", drift=None,
            more_rounds=None) -> MeasureFound:  # fmt: skip
    around = (None, None) if median is None else (median * 0.99, median * 1.01)
    found = (
        None
        if ratio is None
        else RatioFound(
            value=ratio,
            low=ratio * 0.99,
            high=ratio * 1.01,
            low_together=ratio * 0.98,
            high_together=ratio * 1.02,
            comparisons=2,
        )
    )
    return MeasureFound(unit=unit, better="less", typical=median, low=around[0], high=around[1], ratio=found, answer=answer,
                        more_rounds=more_rounds, more_rounds_low=more_rounds, more_rounds_high=more_rounds and 3 * more_rounds, over="launches", drift=drift, drift_low=drift and drift - 0.1, drift_high=drift and drift + 0.1, margin=USUAL_MARGIN, tasks=None, dots=() if median is None else (median, median * 1.05))  # fmt: skip


def row(name: str, form: str, time: MeasureFound, failed: int = 0, split: Split | None = None) -> ComparisonRow:
    return ComparisonRow(
        variant=name, form=form, varied={}, rounds=3, runs=12, finished=12 - failed, steps=20, weights_bytes=2_500_000,
        first_run_s=0.2,
        measures={"time.total": time, "step.time": measure(0.008), "time.load": measure(0.1),
                  "memory.peak": measure(40e6, unit="B"), "memory.device": measure(None, unit="B"), "likeness": measure(0.93, unit="", drift=0.16)},
        failures=FailuresFound(count=failed, share=failed / 12, low=0.0, high=0.4, over="runs", kinds={}), split=split,
        sentence=f"{name} is what it \x1b is, and that is said at some length so that it takes two lines or more of any window.",
        doubts=(1, 12) if name == "swift" else (),
    )  # fmt: skip


SPLIT = Split(
    fewer_steps_s=Estimate(value=0.1, low=0.09, high=0.11), faster_steps_s=Estimate(value=0.048, low=None, high=None),
    fixed_s=Estimate(value=-0.001, low=-0.002, high=0.0), steps=4, reference_steps=20, step_s=0.004, reference_step_s=0.008,
)  # fmt: skip
DOUBTS = (
    Doubt(
        number=1, code="parts-differ", severity="unfair", variants=("swift",), text="swift has another \x1b decoder."
    ),
    Doubt(number=12, code="disturbed", severity="doubt", variants=("swift",), text="Something else ran."),
)
COMPARISON = Comparison(
    title="Which \x1b[31mpainter?", reference="full", rig=RIG, quality="likeness", notes=("A note.",), asked=(), doubts=DOUBTS,
    rows=(
        row("full", "full", measure(0.166)),
        row("swift", "distilled", measure(0.018, 0.108, "faster"), split=SPLIT),
        row("odd", "quantized", measure(0.165, 0.99, "unclear", more_rounds=4), failed=3),
        row("none", "mixed", measure(None), failed=12),
    ),
    sentences={},
)  # fmt: skip
COMPARISON = replace(COMPARISON, sentences={one.variant: one.sentence for one in COMPARISON.rows})


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
        lines = printed(print_comparison, COMPARISON, 80).splitlines()
        self.assertEqual(lines[3][:20], "● full is what it � ")
        self.assertTrue(lines[4].startswith("  "), lines[4])
        self.assertIn("9.26x", text)
        self.assertIn(
            "(4 for 20)", sentence(COMPARISON.rows[1], "full", "time.total", None, digits_of(COMPARISON.rows))
        )

    def test_claims_in_doubt_are_marked_and_the_doubt_is_told(self):
        text = printed(print_comparison, COMPARISON)
        self.assertIn("faster ¹ ¹²", text)
        self.assertIn("¹ swift has another � decoder.", text)
        self.assertIn("¹² Something else ran.", text)

    def test_the_measures_asked_for_stand_alone_and_cold_starts_on_demand(self):
        asked = printed(print_comparison, replace(COMPARISON, asked=("memory.peak", "likeness")), 200)
        self.assertIn("times that of", asked)
        self.assertNotIn("a step", asked)
        self.assertNotIn("first run", printed(print_comparison, COMPARISON, 200))
        self.assertIn("first run", printed(partial(print_comparison, cold=True), COMPARISON, 200))
        self.assertIn("by a step", printed(print_comparison, COMPARISON, 200))

    def test_failures_are_not_left_out_for_want_of_room(self):
        self.assertIn("3 of 12", printed(print_comparison, COMPARISON, 80))
        calm = replace(COMPARISON, rows=COMPARISON.rows[:2])
        left_out = " ".join(printed(print_comparison, calm, 80).split("Left out for want of room: ")[1].split())
        self.assertIn("as fast as (95 %)", left_out, "away from its column a bare 95 % would be of nothing")

    def test_records_carry_units_in_their_names(self):
        record = comparison_records(COMPARISON)[1]
        self.assertEqual((record["time.total_s"], record["time.total.answer"]), (0.018, "faster"))
        self.assertEqual(record["memory.peak_bytes"], 40e6)


class PrintedTradeoff(unittest.TestCase):
    def tradeoff(self, pick: str | None) -> Tradeoff:
        def place(value: float) -> CountFound:
            return CountFound(typical=value, low=value * 0.99, high=value * 1.01)

        rows = tuple(
            TradeoffRow(variant=name, form=form, values={"time.total": place(time), "likeness": place(alike)}, drift=0.1, drift_low=0.0, drift_high=0.2,
                        on_frontier=not beaten, probability=0.97, beaten_by=beaten, unmet=unmet, even_with=(), not_shown=(),
                        why_not_shown=(), not_judged=())
            for name, form, time, alike, beaten, unmet in (
                ("full", "full", 0.166, 1.0, (), ()), ("swift", "distilled", 0.018, 0.93, (), ()),
                ("worse", "quantized", 0.2, 0.9, ("full", "swift"), ("likeness >= 0.95",)),
            )
        )  # fmt: skip
        counts = (
            Count(measure="time.total", unit="s", better="less", margin="2 %"),
            Count(measure="likeness", unit="", better="more", margin="2 %"),
        )
        return Tradeoff(
            title="t",
            reference="full",
            counts=counts,
            rows=rows,
            pick=pick,
            because="It is so.",
            notes=("Mind.",),
            ties=(),
            runner_up=None,
        )

    def test_the_pick_stands_first_with_its_reason(self):
        for width in WIDTHS:
            lines = printed(print_tradeoff, self.tradeoff("swift"), width).splitlines()
            self.assertEqual(lines[:2], ["Pick swift", "It is so."])
            self.assertTrue(all(len(line) <= width for line in lines))
        text = printed(print_tradeoff, self.tradeoff("swift"), 200)
        for words in ("full, swift", "likeness >= 0.95", "0.97", "on it", "beaten", "Mind."):
            self.assertIn(words, text)

    def test_a_probability_of_none_has_no_column_of_dashes(self):
        found = self.tradeoff("swift")
        unknown = replace(found, rows=tuple(replace(row, probability=None) for row in found.rows))
        self.assertIn("frontier  probability", printed(print_tradeoff, found, 200))
        self.assertNotIn("frontier  probability", printed(print_tradeoff, unknown, 200))

    def test_no_pick_is_said(self):
        self.assertIn("No pick", printed(print_tradeoff, self.tradeoff(None)))


LINE = RunLine(run=7, variant="full", form="full", task="violet", seed=11, round=1, repeat=2, warm_up=False, varied={}, tokens=40,
               status="finished", voided=None, started="2026-01-01T10:00:00.123+00:00", time_s=0.166, steps=3,
               step_time_s=0.05, source="measured", cold=False, launch=3, noted=False,
               id="01a214b9-7f9c-7657-a853-cf034c4f45e1", session="quiet", others_share=0.0, stolen_share=None)  # fmt: skip


class PrintedRuns(unittest.TestCase):
    def test_lines_tell_warm_ups_failures_and_voided_runs_apart(self):
        rows = (LINE, replace(LINE, run=8, warm_up=True), replace(LINE, run=9, status="stalled", time_s=None, steps=0),
                replace(LINE, run=10, voided="a lorry drove\nby"),
                replace(LINE, run=11, warm_up=True, cold=True), replace(LINE, run=12, source="simulated", noted=True))  # fmt: skip
        text = printed(print_runs, RunList(rows=rows), 160)
        for words in (
            "1.2",
            "cold warm-up",
            "finished, simulated, noted",
            "stalled",
            "voided: a lorry drove by",
            "2026-01-01 10:00:00",
            "–",
        ):
            self.assertIn(words, text)
        self.assertIn("There are no runs here yet", printed(print_runs, RunList(rows=())))

    def test_one_run_is_told_whole(self):
        whole = RunWhole(
            **{name: getattr(LINE, name) for name in RunLine.__slots__}, place=2,
            forecast={"low_s": 0.15, "high_s": 0.2, "basis": "same cell"},
            notes=(NoteFound(noted="2026-01-01T12:30:00", text="the till \x07 was busy"),), error=None, first_s=0.05,
            load_s=0.1, step_times_s=(0.05, 0.05, 0.066), phases={"start": 0.0, "steps": 0.166}, measures={
                "likeness": 0.93, "rate.tokens": 200.0, "gap.median": 0.005, "gap.p99": 0.009, "input.tokens": 12.0, "requests": 2.0,
                "request.time": 0.1, "request.time.p99": 0.2, "requests.failed": 0.5, "rate.tokens.sum": 350.0,
            },
            piece_times_s=(0.05, 0.055), requests=(
                {"client": 0, "error": None, "ended_s": 0.1, "code": 200}, {"client": 1, "error": "busy", "ended_s": 0.1, "code": 429},
            ),
            faults=(("retry", "once"),), outputs=(OutputFound(path="outputs/L1/label.png", bytes=5400, digest="ab" * 32, state="changed"),),
            expected=(),
            measurements=(
                MeasurementFound(name="likeness", value=0.93, why=None, unit="", origin="worked-out", definition="d", kind="ssim", against=3, shown=True),
                MeasurementFound(name="facts", value=None, why="it made no text", unit="", origin="worked-out", definition="d", kind="holds", against=None, shown=True),
                MeasurementFound(name="likeness", value=31.0, why=None, unit="dB", origin="worked-out", definition="e", kind="psnr", against=3, shown=False),
            ),
            machine=MACHINE,
            provenance={"settings": {"steps": 3}, "command": ["./paint", "two words", "\x1b[2J"], "script": {"painter.py": "cd" * 32}, "files": {}, "python": "3.11.7",
                        "packages": {"numpy": "2.1", "odd\x1b": None}, "modules": {"helper.py": "ef" * 32},
                        "threads": {"OMP_NUM_THREADS": "1"}},
            log_tail="last \x1b[31mwords", text="water weekly",
        )  # fmt: skip
        text = printed(print_run, whole)
        self.assertNotIn("\x1b", text)
        for words in ("Run 7", "finished in 166 ms", "slowest 66 ms", "▆▆█", "steps: 166 ms", "38.1 MiB", "likeness: 0.93", "facts: – (it made no text)", "1 value by other definitions", "quiet",
                      "changed since the run",
                      "retry: once", "sha256 abababababab", "painter.py", "Python 3.11.7", "water weekly", "[31mwords", "150 to 200 ms, by the same cell",
                      "12:30: the till", "numpy 2.1, odd� of unknown version", "helper.py", "OMP_NUM_THREADS 1",
                      "3 processes together", "from 1.0 MiB to 2.0 MiB along the run", "▃█▅", "10.0 MiB at its peak on the accelerator", "0.95 cores busy",
                      "kept 0.40 cores busy; the host took 0.05 of a core; somebody waited for cpu 12 %",
                      "1.0 GiB of memory free at least, nothing swapped out, clock unknown, 71 °C at most",
                      "40 tokens, the first after 50 ms, then 200 a second", "gaps of 5 ms in the middle, 9 ms at the 99th percentile",
                      "12 tokens", "2 requests by 2 clients, 100 ms in the middle", "350 a second, all together", "1 failed, HTTP 429: 1",
                      "12.5 J, from watts given by hand", "a device, 10.0 MiB in use at most, 55 °C at most"):  # fmt: skip
            self.assertIn(words, text)
        program = printed(print_run, replace(whole, provenance={**whole.provenance, "runner": "command"}))
        self.assertIn("command     ./paint 'two words' '\ufffd[2J'", program)
        self.assertNotIn("./paint", text)  # a worker's own command is nobody's concern
        self.assertNotIn("interpreter", program)


class PrintedMore(unittest.TestCase):
    def test_forecasts_say_first_how_often_they_held(self):
        rows = tuple(
            ForecastScored(run=n, variant="full", form="full", task="violet", seed=1, cold=n == 1, basis="same cell",
                           low_s=0.1, high_s=0.2, time_s=time_s, held=time_s <= 0.2)
            for n, time_s in ((1, 0.15), (2, 0.25))
        )  # fmt: skip
        sessions = tuple(
            SessionScored(
                made="2026-01-01T10:00:00", title="t", runs=2, low_s=1.0, high_s=2.0, took_s=took_s, held=held
            )
            for took_s, held in ((1.5, True), (3.0, False), (None, None))
        )
        found = ForecastScores(forecasts=2, held=1, unforeseen=3, sessions=sessions, rows=rows,
                               bases=(BasisScored(basis="same cell", forecasts=2, held=1, width=2.0),))  # fmt: skip
        for width in WIDTHS:
            text = printed(print_forecasts, found, width)
            self.assertTrue(
                " ".join(text.split()).startswith("The time foreseen held for 1 of 2 runs (50 %; the aim is 9 in 10)")
            )
        for words in ("by the same cell: 1 of 2, the range's end 2.00x", "3 runs had nothing like them", "took 1.5 s, held",
                      "took 3.0 s, missed", "not made in one go", "full cold"):  # fmt: skip
            self.assertIn(words, text)
        self.assertIn("No run was foreseen yet", printed(print_forecasts, replace(found, forecasts=0, rows=())))

    def test_a_trial_shows_pictures_on_a_terminal_and_says_what_failed(self):
        with tempfile.TemporaryDirectory() as name:
            picture = Path(name) / "label.png"
            Image.new("RGB", (48, 48), "red").save(picture)
            run = TrialRun(run=4, seed=1, status="finished", error=None, time_s=0.5, steps=4, step_time_s=0.1,
                           output=str(picture), text="", written=None, source="measured")  # fmt: skip
            failed = replace(run, seed=2, status="failed", error="no \x1b[31mroom", output=None)
            found = Trial(variant="swift", form="distilled", task="t", prompt="a \x1b flower", settings={"steps": 4},
                          load_s=0.2, stopped=False, rows=(run, failed))  # fmt: skip
            text = printed(print_trial, found)
            for words in (
                "swift",
                "steps 4",
                "loaded in 200 ms",
                "seed 1: 500 ms, 4 steps of 100 ms",
                "seed 2: failed",
                "no �[31mroom",
            ):
                self.assertIn(words, text)
            self.assertNotIn("\x1b", text)
            file = io.StringIO()
            print_trial(Console(file=file, width=120, force_terminal=True, color_system="truecolor"), found)
            self.assertEqual(file.getvalue().count("▀"), 36 * 18, "36 columns, half as many rows")
            self.assertTrue(found.failed)

    def test_a_rig_says_what_is_unknown_and_what_disturbs(self):
        quiet = Quietness(verdict="noisy", spins=900, spin_s=0.002, spread=0.41, slowest_s=0.01, lost_share=0.1, others_share=1.2,
                          stolen_share=None, largest="a\x07 program (process 7) kept 0.9 of a core busy",
                          disturbers=(Disturber(pid=7, name="a", share=0.9), Disturber(pid=8, name="b\x1b", share=0.3)))  # fmt: skip
        device = {"name": "simulated accelerator", "memory_bytes": 2**25, "driver": None, "simulated": True}
        found = RigReport(fingerprint="f" * 16, facts={**RIG, "accelerators": [device]}, memory_available_bytes=2**33,
                          swap_used_bytes=0, distribution=None, governor=None, python="3.11.7", clock_hz=None,
                          temperature_c=61.0, pressure=False, energy_source=None, quiet=quiet)  # fmt: skip
        text = printed(print_rig, found)
        for words in ("This machine is noisy right now", "Nine in ten of these times lie within 820 us of one another, 41.0 % of that", "a� program (process 7)", "Also: b� (process 8)",
                      "simulated accelerator, 32.0 MiB", "61 °C", "governor      unknown", "host          unknown"):  # fmt: skip
            self.assertIn(words, text)
        self.assertNotIn("\x1b", text)


class PrintedCheck(unittest.TestCase):
    def test_a_machine_of_a_team_may_tell_what_it_likes(self):
        line = MachineLine(
            machine="till\x1b[2J", rig="f" * 16, words="w", title="t\u202e", session="s", state="running", variant="v",
            made=3, planned=4, failed=0, since_s=60.0, heard_s=1.0,
        )  # fmt: skip
        for made, planned, bar in (
            (3, 4, "━" * 12 + "─" * 4),
            (-(2**60), 1, "─" * 16),
            (2**60, 1, "━" * 16),
            (1, 0, "─" * 16),
        ):
            shown = printed(print_team, Team(logbook="l", rows=(replace(line, made=made, planned=planned),)))
            self.assertIn(f" {bar} ", shown)
            self.assertNotIn("\x1b", shown)
            self.assertNotIn("\u202e", shown)

    def test_errors_have_place_finding_and_wish(self):
        found = Checkup(
            plan="plan.toml", title=None, ok=False, doubts=(), reference=None, variants=(), items=0, varied={"clients": (1, 4)}, rounds=0, settle_to=None, most_rounds=None, repeats=0,
            warmups=0, cells=0, runs=0, already=0, forecast_s=None, changes=(),
            errors=(Problem(where="schedule.rounds", found="'\x07three'", wanted="a whole number"),),
        )  # fmt: skip
        self.assertEqual(printed(print_checkup, found).splitlines(), [
            "plan.toml: 1 error", "", "schedule.rounds", "  found   '�three'", "  wanted  a whole number",
        ])  # fmt: skip


class DrawnSessions(unittest.TestCase):
    def test_the_day_on_which_one_ended_is_said_where_it_is_another(self):
        session = SessionLine(session="quiet", id="i", made_by="run", began="2026-11-24T22:50:00.1+00:00", ended=None, rig=None,
                              machine=None, launches=2, runs=4)  # fmt: skip
        ends = (None, "2026-11-24T23:10:00.2+00:00", "2026-11-25T01:10:00.2+00:00")
        found = SessionList(rows=tuple(replace(session, ended=end) for end in ends), earlier=3)
        lines = printed(print_sessions, found).splitlines()
        for line, words in zip(lines[2:5], ("no end", " 23:10:00", "2026-11-25 01:10:00"), strict=True):
            self.assertIn(words, line)
        self.assertNotIn("2026-11-24 23:10", lines[3])
        self.assertIn("3 runs made before sessions were kept", lines[-1])


if __name__ == "__main__":
    unittest.main()
