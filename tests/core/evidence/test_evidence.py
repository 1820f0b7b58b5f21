"""Which runs count, which reference run each is held against, and what drift comes to: by hand, on a written logbook."""

import io
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
from PIL import Image

from tests.support import ProjectTest
from unvek.core.errors import InputError
from unvek.core.evidence.gathering import Selection, gather
from unvek.core.evidence.outputs import open_picture, scores_of
from unvek.core.findings.comparison.comparison import compare
from unvek.core.findings.tradeoff.needs import parse_need
from unvek.core.findings.tradeoff.tradeoff import trade_off
from unvek.core.logbook.store import Logbook
from unvek.core.measures.image import ssim
from unvek.core.plan.model import Limits, Plan, Schedule, Task, Variant, WantedMeasure
from unvek.core.run.events.record import Progress, Provenance, RunRecord, RunStart, Value
from unvek.core.session.measuring import work_out

RIG = {"processor": "p", "cores": 2, "memory_bytes": 2**33, "system": "s", "kernel": "k"}


class WrittenLogbook(ProjectTest):
    """A logbook whose runs are written by hand: cells are named variant/task/seed."""

    def setUp(self) -> None:
        super().setUp()
        self.logbook = Logbook.make_or_open(self.folder / "logbook")
        self.addCleanup(self.logbook.close)
        self.logbook.record_rig("rig-1", RIG)

    def plan(
        self, *variants: str, cells: list[str], quality: str | None = "likeness", kinds: dict[str, str] | None = None,
        of: dict[str, dict] | None = None, **also,
    ) -> None:  # fmt: skip
        kinds = kinds or ({quality: "ssim"} if quality else {})
        plan = Plan(
            path=Path("plan.toml"), text=str(cells), title="t", reference=variants[0], quality=quality,
            schedule=Schedule(rounds=3, repeats=1), runners={}, variants=tuple(planned(v, **(of or {}).get(v, {})) for v in variants),
            tasks=(planned_task("violet", wanted=("half shade", "loam")),),
            measures=tuple(WantedMeasure(name=name, kind=kind) for name, kind in kinds.items()),
        )  # fmt: skip
        self.logbook.record_plan(replace(plan, **also), cells, dict.fromkeys(variants))

    def run_made(self, name: str, time_s: float = 1.0, round_number: int = 1, status: str = "finished", place: int = 1,
                 shade: int | None = None, memory: int = 100, text: str = "", varied: dict[str, int] | None = None,
                 scores: tuple[np.ndarray, np.ndarray] | None = None, launch: int | None = None, **also) -> int:  # fmt: skip
        launch = launch if launch is not None else self.logbook.open_launch(name.partition("/")[0], round_number)
        made = self.logbook.making_path(launch, place) if shade is not None or scores is not None else None
        if made is not None and shade is not None:
            Image.fromarray(picture(shade)).save(made / "label.png")
        if made is not None and scores is not None:
            np.savez(made / "given.scores.npz", log_probabilities=scores[0], tokens=scores[1])
        if isinstance(also.get("provenance"), dict):
            also["provenance"] = Provenance(**also["provenance"])
        values = (Value(name="warmth", number=4, unit="K"),)
        start = {key: also.pop(key) for key in list(also) if key in RunStart.__slots__}
        record = RunRecord(
            start=run_start(name, round=round_number, launch=launch, place=place, varied=varied or {}, **start),
            progress=Progress(time_s=time_s, memory_peak_bytes=memory, text=text, values=values),
            limits={}, status=status, error=None, exit_code=None, provenance=Provenance(),
        )  # fmt: skip
        return self.logbook.keep_run(replace(record, **also), made)

    def evidence(self, **chosen):
        return work_out(self.logbook, gather(self.logbook, Selection(**chosen)))[0]


def planned(name: str, **also) -> Variant:
    """A variant of a plan."""
    variant = Variant(name=name, form="full", runner="", of=None, weights=(), parts={}, settings={}, limits=Limits())
    also["weights"] = tuple(map(Path, also.get("weights", ())))
    also["parts"] = {part: Path(path) for part, path in also.get("parts", {}).items()}
    return replace(variant, **also)


def planned_task(name: str, **also) -> Task:
    """A task of a plan."""
    task = Task(name=name, prompt="p", seeds=(1, 2), inputs=(), expect=(), wanted=(), facts={}, settings={})
    return replace(task, **also)


def run_start(name: str, **also) -> RunStart:
    """What is known of a run of variant/task/seed when it begins."""
    variant, task, seed = name.split("/")
    start = RunStart(
        cell=name, round=1, repeat=1, launch=1, place=1, warm_up=False, variant=variant, form="full", task=task, seed=int(seed),
        settings={}, started_at="2026-01-01T00:00:00+00:00",
    )  # fmt: skip
    return replace(start, **also)


def picture(shade: int) -> np.ndarray:
    return np.random.default_rng(shade).integers(0, 256, (16, 16, 3), dtype=np.uint8)


class WhichRunsCount(WrittenLogbook):
    def test_the_latest_run_of_a_slot_counts_and_voided_and_foreign_ones_do_not(self):
        self.plan("a", cells=["a/violet/1"], quality=None)
        self.run_made("a/violet/1", 9.0, status="failed", place=0)
        kept = self.run_made("a/violet/1", 1.0)
        self.run_made("a/violet/9", 5.0)
        found = self.evidence()
        self.assertEqual([row.number for row in found.runs.rows], [kept])
        self.assertEqual(found.left_out, 1)
        self.logbook.void_slots(["a/violet/1"], "by hand")
        with self.assertRaisesRegex(InputError, "no measured runs of this plan yet"):
            self.evidence()

    def test_values_of_runs_that_did_not_finish_are_not_known(self):
        self.plan("a", cells=["a/violet/1"], quality=None)
        self.run_made("a/violet/1", 1.0)
        self.run_made("a/violet/1", 7.0, round_number=2, status="timed-out")
        found = self.evidence()
        np.testing.assert_array_equal(found.values.of("time.total"), [1.0, np.nan])
        np.testing.assert_array_equal(found.values.of("warmth"), [4.0, np.nan])
        with self.assertRaisesRegex(InputError, "there is no measure 'colour'; there are warmth, time.total"):
            found.values.measure("colour")

    def test_an_empty_logbook_is_told(self):
        with self.assertRaisesRegex(InputError, "there are no runs in"):
            self.evidence()


class Likeness(WrittenLogbook):
    def test_drift_lies_between_a_rerun_and_another_seed(self):
        self.plan("a", "b", cells=["a/violet/1", "a/violet/2", "b/violet/1", "b/violet/2"])
        for number in (1, 2):
            for seed in (1, 2):
                self.run_made(f"a/violet/{seed}", round_number=number, shade=seed)
                self.run_made(f"b/violet/{seed}", round_number=number, shade=seed if seed == 1 else 7)
        found = self.evidence()
        rows = {row.variant: row for row in compare(found, RIG).rows}
        strange = ssim(picture(2) / 255.0, picture(7) / 255.0)
        other_seed = ssim(picture(2) / 255.0, picture(1) / 255.0)
        self.assertAlmostEqual(rows["a"].measures["likeness"].median, 1.0)
        self.assertAlmostEqual(rows["a"].measures["likeness"].drift, 0.0)
        self.assertAlmostEqual(rows["b"].measures["likeness"].drift, (1 - (1 + strange) / 2) / (1 - other_seed))
        again = gather(self.logbook)
        self.assertEqual(len(again.values.measured.values), len(found.values.measured.values))

    def test_texts_are_held_against_the_references_and_against_what_is_wanted(self):
        kinds = {"facts": "holds", "likeness": "edit", "same": "exact"}
        self.plan("a", "b", cells=["a/violet/1", "b/violet/1", "b/violet/2"], quality="facts", kinds=kinds)
        for number in (1, 2):
            self.run_made("a/violet/1", round_number=number, text="Half shade, in loam.")
            self.run_made("b/violet/1", round_number=number, text="Half shade, in clay.")
            self.run_made("b/violet/2", round_number=number, text="")
        found = self.evidence()
        rows = {row.variant: row.measures for row in compare(found, RIG).rows}
        self.assertEqual([rows[v]["facts"].median for v in "ab"], [1.0, 0.5])
        self.assertAlmostEqual(rows["b"]["likeness"].median, 1 - 3 / 20)
        self.assertEqual([rows[v]["same"].median for v in "ab"], [1.0, 0.0])
        self.assertIsNone(rows["b"]["facts"].drift)
        np.testing.assert_array_equal(found.values.of("facts")[-1:], [np.nan])

    def test_scores_give_perplexity_divergence_and_agreement(self):
        self.plan(
            "a", "b", cells=["a/violet/1", "b/violet/1"], quality="p", kinds={"p": "perplexity", "d": "kl", "t": "top1"}
        )
        sure, unsure = np.log([[0.5, 0.25, 0.25]] * 4), np.log([[0.25, 0.5, 0.25]] * 4)
        for number in (1, 2):
            self.run_made("a/violet/1", round_number=number, scores=(sure, np.array([0, 0, 0, 0])))
            self.run_made("b/violet/1", round_number=number, scores=(unsure, np.array([0, 0, 0, 0])))
        rows = {row.variant: row.measures for row in compare(self.evidence(), RIG).rows}
        self.assertAlmostEqual(rows["a"]["p"].median, 2.0)
        self.assertAlmostEqual(rows["b"]["p"].median, 4.0)
        self.assertAlmostEqual(rows["b"]["d"].median, 0.25 * np.log(2))
        self.assertEqual((rows["a"]["t"].median, rows["b"]["t"].median), (1.0, 0.0))
        self.assertEqual(rows["b"]["p"].answer, "worse")

    def test_scores_that_are_none_are_refused(self):
        for content in (b"", b"PK\x03\x04" + b"x" * 50):
            self.assertIsNone(scores_of(content))
        packed = io.BytesIO()
        np.savez_compressed(packed, log_probabilities=np.zeros((4000, 4000)), tokens=np.zeros(4000, int))
        self.assertIsNone(scores_of(packed.getvalue()))  # a hundred times as large unpacked
        pickled = io.BytesIO()
        np.savez(pickled, log_probabilities=np.array([{"a": 1}], object), tokens=np.zeros(1, int))
        self.assertIsNone(scores_of(pickled.getvalue()))

    def test_runs_are_paired_within_the_value_of_what_is_varied(self):
        self.plan("a", "b", cells=["a/violet/1", "b/violet/1"], quality=None)
        for number in (1, 2):
            for steps in (2, 8):
                for name, factor in (("a", 1.0), ("b", 0.5)):
                    place = self.run_made(f"{name}/violet/1", factor * steps, number, varied={"steps": steps}, place=2)
                    self.logbook.note_run(place, "x")
        only = {row.variant: row for row in compare(self.evidence(varied={"steps": 8}), RIG).rows}
        self.assertEqual([only[v].measures["time.total"].median for v in "ab"], [8.0, 4.0])
        self.assertAlmostEqual(only["b"].measures["time.total"].ratio.value, 0.5)
        with self.assertRaises(InputError):
            self.evidence(varied={"steps": 3})

    def test_files_that_are_no_pictures_are_none(self):
        self.assertIsNone(open_picture(io.BytesIO(b"\x89PNG\r\n\x1a\n" + b"\0" * 50)))
        self.assertIsNone(open_picture(self.folder / "missing.png"))


class Picking(WrittenLogbook):
    def setUp(self) -> None:
        super().setUp()
        names = ("ref", "near", "far", "worse")
        self.plan(*names, cells=[f"{n}/violet/{s}" for n in names for s in (1, 2)])
        times = {"ref": 1.0, "near": 0.5, "far": 0.25, "worse": 1.2}
        for number in (1, 2, 3):
            for name in names:
                for seed in (1, 2):
                    shade = {"far": 50 + seed}.get(name, seed)
                    self.run_made(f"{name}/violet/{seed}", times[name] * (1 + 0.001 * number), number, shade=shade)

    def test_the_pick_is_the_fastest_that_stays_close(self):
        found = trade_off(self.evidence())
        rows = {row.variant: row for row in found.rows}
        self.assertEqual(found.pick, "near")
        self.assertIn("2.00x as fast (50 % less time) against ref", found.because)
        self.assertEqual(rows["worse"].beaten_by, ("ref", "near"))
        self.assertEqual(
            (rows["far"].on_frontier, rows["far"].probability, rows["worse"].probability), (True, 1.0, 0.0)
        )
        self.assertGreater(rows["far"].drift, 0.9)

    def test_a_need_on_the_quality_takes_the_place_of_closeness(self):
        evidence = self.evidence()
        low = trade_off(evidence, [parse_need("likeness >= -1", evidence)])
        self.assertEqual(low.pick, "far")
        both = trade_off(
            evidence, [parse_need("likeness >= 0.9", evidence), parse_need("time.total <= 700 ms", evidence)]
        )
        self.assertEqual(both.pick, "near")
        self.assertEqual({row.variant: row.unmet for row in both.rows}["ref"], ("time.total <= 700 ms",))

    def test_without_a_quality_speed_and_memory_decide(self):
        evidence = self.evidence()
        values = replace(evidence.values, plan=replace(evidence.plan, quality=None))
        found = trade_off(replace(evidence, values=values))
        self.assertEqual([count.measure for count in found.counts], ["time.total", "memory.peak"])
        self.assertEqual(found.pick, "far")
        self.assertIn("names no quality", found.notes[0])


if __name__ == "__main__":
    unittest.main()
