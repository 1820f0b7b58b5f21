"""Which runs count, which reference run each is held against, and what drift comes to: by hand, on a written logbook."""

import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
from PIL import Image

from tests.support import ProjectTest
from unvek.core.errors import InputError
from unvek.core.findings.comparison import compare
from unvek.core.findings.evidence import gather
from unvek.core.findings.likeness import read_picture, with_likeness
from unvek.core.findings.needs import parse_need
from unvek.core.findings.tradeoff import trade_off
from unvek.core.logbook.store import Logbook
from unvek.core.measures.image import ssim
from unvek.core.run.record import Progress, RunRecord, Slot, Value

RIG = {"processor": "p", "cores": 2, "memory_bytes": 2**33, "system": "s", "kernel": "k"}


class WrittenLogbook(ProjectTest):
    """A logbook whose runs are written by hand: cells are named variant/task/seed."""

    def setUp(self) -> None:
        super().setUp()
        self.logbook = Logbook.make_or_open(self.folder / "logbook")
        self.addCleanup(self.logbook.close)
        self.logbook.record_rig("rig-1", RIG)

    def plan(self, *variants: str, cells: list[str], quality: str | None = "likeness") -> None:
        content = {
            "title": "t", "reference": variants[0], "quality": quality, "rounds": 3, "repeats": 1,
            "variants": [{"name": v, "form": "full", "settings": {}, "weights_bytes": None} for v in variants],
            "tasks": [{"name": "violet", "prompt": "p", "seeds": [1, 2]}],
            "measures": [{"name": quality, "kind": "ssim"}] if quality else [], "cells": cells,
        }  # fmt: skip
        self.logbook.record_plan(Path("plan.toml"), str(cells), content)

    def run_made(self, cell: str, time_s: float = 1.0, round_number: int = 1, status: str = "finished", place: int = 1,
                 shade: int | None = None, memory: int = 100) -> int:  # fmt: skip
        name, task, seed = cell.split("/")
        launch = self.logbook.open_launch(name, round_number)
        made = self.logbook.making_path(launch, place) if shade is not None else None
        if made is not None:
            Image.fromarray(picture(shade)).save(made / "label.png")
        return self.logbook.keep_run(
            RunRecord(
                slot=Slot(cell_key=cell, round=round_number, repeat=1), launch=launch, place=place, warm_up=False,
                variant=name, form="full", task=task, seed=int(seed), settings={}, limits={}, status=status, error=None,
                started_at="2026-01-01T00:00:00+00:00",
                progress=Progress(time_s=time_s, memory_peak_bytes=memory, values=(Value(name="warmth", number=4, unit="K"),)),
                exit_code=None, log_tail="", provenance={},
            ),
            made,
        )  # fmt: skip

    def evidence(self, **chosen):
        return with_likeness(self.logbook, gather(self.logbook, **chosen))


def picture(shade: int) -> np.ndarray:
    return np.random.default_rng(shade).integers(0, 256, (16, 16, 3), dtype=np.uint8)


class WhichRunsCount(WrittenLogbook):
    def test_the_latest_run_of_a_slot_counts_and_voided_and_foreign_ones_do_not(self):
        self.plan("a", cells=["a/violet/1"], quality=None)
        self.run_made("a/violet/1", 9.0, status="failed", place=0)
        kept = self.run_made("a/violet/1", 1.0)
        self.run_made("a/violet/9", 5.0)
        found = self.evidence()
        self.assertEqual([row["number"] for row in found.rows], [kept])
        self.assertEqual(found.left_out, 1)
        self.logbook.void_slots(["a/violet/1"], "by hand")
        with self.assertRaisesRegex(InputError, "no measured runs of this plan yet"):
            self.evidence()

    def test_values_of_runs_that_did_not_finish_are_not_known(self):
        self.plan("a", cells=["a/violet/1"], quality=None)
        self.run_made("a/violet/1", 1.0)
        self.run_made("a/violet/1", 7.0, round_number=2, status="timed-out")
        found = self.evidence()
        np.testing.assert_array_equal(found.values("time.total"), [1.0, np.nan])
        np.testing.assert_array_equal(found.values("warmth"), [4.0, np.nan])
        with self.assertRaisesRegex(InputError, "there is no measure 'colour'; there are warmth, time.total"):
            found.measure("colour")

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
        self.assertEqual(len(again.measured), len(found.measured))

    def test_pictures_of_two_sizes_and_files_that_are_none_have_no_likeness(self):
        self.plan("a", "b", cells=["a/violet/1", "b/violet/1"])
        self.run_made("a/violet/1", shade=1)
        run = self.run_made("b/violet/1", shade=1)
        path = self.folder / "logbook" / self.logbook.outputs(run)[0]["path"]
        Image.new("RGB", (20, 20)).save(path)
        rows = {row.variant: row for row in compare(self.evidence(), RIG).rows}
        self.assertIsNotNone(rows["b"].measures["likeness"])
        path.write_bytes(b"\x89PNG\r\n\x1a\n" + b"\0" * 50)
        self.assertIsNone(read_picture(path))
        self.assertIsNone(read_picture(self.folder / "missing.png"))


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
        content = {**evidence.plan.content, "quality": None}
        found = trade_off(replace(evidence, plan=replace(evidence.plan, content=content)))
        self.assertEqual([count.measure for count in found.counts], ["time.total", "memory.peak"])
        self.assertEqual(found.pick, "far")
        self.assertIn("names no quality", found.notes[0])


if __name__ == "__main__":
    unittest.main()
