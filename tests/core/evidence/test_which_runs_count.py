"""Which runs a figure rests on: cold told from warm, one rig from another."""

import math
import random
import sqlite3
import unittest

import numpy as np

from tests.support import SLOW, task
from tests.written import RIG, WrittenLogbook, run_start
from unvek.core.errors import InputError
from unvek.core.evidence.gathering import Selection, gather
from unvek.core.evidence.warming import still_warming
from unvek.core.findings.circumstances import circumstance_notes
from unvek.core.findings.comparison.comparison import compare
from unvek.core.plan.cells import Cell, cells_of, read_sources
from unvek.core.plan.reading.plan import read_plan
from unvek.core.run.events.record import Progress, Provenance, RunRecord
from unvek.core.stats.student import wilson
from unvek.core.stats.trend import fall

CELLS = ["slow/violet/1", "quick/violet/1"]


class ColdAndWarm(WrittenLogbook):
    def test_the_first_run_of_a_process_is_in_no_time_but_its_failure_counts(self):
        self.plan("slow", "quick", cells=CELLS, quality=None)
        for place, time_s in ((1, 9.0), (2, 1.0), (3, 1.2), (4, 1.1)):
            self.run_made(CELLS[0], time_s, round_number=place, place=place)
        self.run_made(CELLS[1], 0.5, place=2)
        self.run_made(CELLS[1], 0.1, round_number=2, place=1, status="failed")
        found = compare(gather(self.logbook), RIG)
        slow, quick = found.rows
        self.assertAlmostEqual(slow.measures["time.total"].typical, 1.1, places=2)
        self.assertEqual((slow.first_run_s, slow.finished), (9.0, 4))
        self.assertEqual((quick.failures.count, quick.runs), (1, 2))
        self.assertTrue(any("cold" in note for note in found.notes), found.notes)

    def test_a_run_that_was_skipped_or_interrupted_is_no_failure_and_no_success(self):
        self.plan("a", cells=[f"a/violet/{seed}" for seed in range(1, 5)], quality=None)
        for seed, status in enumerate(("finished", "failed", "skipped", "interrupted"), 1):
            self.run_made(f"a/violet/{seed}", status=status, place=2)
        failures = compare(self.evidence(), RIG).rows[0].failures
        self.assertEqual((failures.count, failures.share, failures.over), (1, 0.5, "runs"))

    def test_launches_that_fail_whole_count_as_launches(self):
        self.plan("a", cells=[f"a/violet/{seed}" for seed in range(8)], quality=None)
        for number, status in enumerate(("finished", "failed", "finished"), 1):
            launch = self.logbook.open_launch("a", number)
            for seed in range(8):
                self.run_made(f"a/violet/{seed}", round_number=number, status=status, place=seed + 2, launch=launch)
        failures = compare(self.evidence(), RIG).rows[0].failures
        self.assertEqual((failures.count, failures.over), (8, "launches"))
        self.assertEqual((failures.low, failures.high), wilson(1, 3))

    def test_a_variant_with_cold_runs_only_is_shown_and_said_to_be(self):
        self.plan("slow", "quick", cells=CELLS, quality=None)
        self.run_made(CELLS[0], 1.0, place=2)
        self.run_made(CELLS[1], 3.0, place=1)
        found = compare(gather(self.logbook), RIG)
        self.assertEqual(found.rows[1].measures["time.total"].typical, 3.0)
        self.assertTrue(any(note.startswith("Cold figures") and "quick" in note for note in found.notes), found.notes)


class Warming(unittest.TestCase):
    def test_a_row_that_clearly_falls_is_told_from_one_that_does_not(self):
        rng = random.Random(4)
        self.assertAlmostEqual(fall([math.log(1 + 1 / (n + 1)) for n in range(12)]), 0.255, delta=0.005)
        self.assertIsNone(fall([0.5, 0.4, 0.3, 0.2, 0.1]), "too few")
        self.assertIsNone(fall([0.001 * -n for n in range(12)]), "too little")
        false = sum(fall([rng.gauss(0, 0.1) for _ in range(12)]) is not None for _ in range(2000))
        self.assertLess(false, 2000 * 0.02)

    def test_the_launch_is_named_whatever_its_cells_take(self):
        rows = [(base * (1 + (0.5 / place if launch == 2 else 0)), cell, launch, place)
                for launch in (1, 2, 3) for place in range(1, 13) for cell, base in [(place % 2, 1 + place % 2)]]  # fmt: skip
        times_s, *whole = (np.array(column) for column in zip(*rows, strict=True))
        ((launch, runs, less_time_share),) = still_warming(times_s, *whole)
        self.assertEqual((launch, runs), (2, 12))
        self.assertTrue(0.1 < less_time_share < 0.3, less_time_share)


class WarmingNotes(WrittenLogbook):
    def test_launches_that_were_not_warm_are_told_of_once(self):
        self.plan("slow", "quick", cells=CELLS, quality=None)
        for name, cell in zip(("slow", "quick"), CELLS, strict=True):
            launch = self.logbook.open_launch(name, 1)
            for place in range(1, 14):
                self.run_made(cell, 1 + 0.5 / place, place, place=place, launch=launch)
        notes = [note for note in circumstance_notes(gather(self.logbook)) if "Not warm yet" in note]
        self.assertEqual(len(notes), 1, notes)
        self.assertRegex(notes[0], r"were launch \d+ of slow \(by \d+ %\), launch \d+ of quick \(by \d+ %\): their")


class TwoRigs(WrittenLogbook):
    def test_a_comparison_across_two_rigs_is_refused_unless_asked_for(self):
        self.plan("slow", "quick", cells=CELLS, quality=None)
        self.run_made(CELLS[0], 1.0, place=2)
        self.logbook.record_rig("rig-2", {**RIG, "processor": "another"})
        self.run_made(CELLS[1], 0.5, place=2)
        with self.assertRaisesRegex(InputError, r"2 rigs: 1 run on p, 2 cores.*1 run on another.*--across-rigs"):
            gather(self.logbook)
        found = compare(gather(self.logbook, Selection(across_rigs=True)), RIG)
        self.assertTrue(any("made on 2 rigs" in note for note in found.notes))

    def test_one_machine_is_taken_by_the_beginning_of_its_fingerprint(self):
        self.plan("slow", "quick", cells=CELLS, quality=None)
        for rig, time_s in (("rig-1", 1.0), ("rig-2", 3.0), ("another", 5.0)):
            self.logbook.record_rig(rig, RIG)
            for cell in CELLS:
                self.run_made(cell, time_s, place=2)
        for rig, time_s in (("rig-1", 1.0), ("rig-2", 3.0), ("a", 5.0)):
            evidence = gather(self.logbook, Selection(rig=rig))
            self.assertEqual(set(evidence.values.of("time.total").tolist()), {time_s}, rig)
            self.assertEqual(evidence.left_out, 0)
        for rig, words in (
            ("rig", "more than one machine's"),
            ("x", "no machine's"),
            ("", "more than one"),
            ("*", "no machine's"),
        ):
            with self.assertRaisesRegex(InputError, words):
                gather(self.logbook, Selection(rig=rig))

    def test_runs_of_another_rig_are_made_again_here(self):
        self.write_plan(SLOW, task(seeds=(1,)))
        self.unvek("run", "--logbook", "moved")
        with sqlite3.connect(self.folder / "moved" / "runs.sqlite") as connection:
            connection.execute("pragma foreign_keys = off")
            connection.execute("update rigs set fingerprint = 'elsewhere'")
            connection.execute("update launches set rig = 'elsewhere'")
        connection.close()
        said = self.unvek("run", "--logbook", "moved").stderr
        self.assertIn("1 run made on another rig: not counted on this one", said)
        self.assertIn("1 run made", said)
        self.assertEqual(self.result("compare", "--logbook", "moved")["rows"][0]["runs"], 1)

    def test_a_run_that_fails_here_is_not_made_for_ever_because_it_finished_elsewhere(self):
        self.plan("slow", cells=[], quality=None)
        plan = read_plan(self.write_plan(SLOW, task(seeds=(1,))))
        cells = cells_of(plan, read_sources(plan))
        for rig, status in (("elsewhere", "finished"), ("here", "failed")):
            self.logbook.record_rig(rig, RIG)
            self.keep(cells[0], status)
        self.assertEqual(len(self.logbook.done(cells, "here", 1)), 1)
        self.assertEqual(self.logbook.done_elsewhere(cells, "here"), 1)

    def keep(self, cell: Cell, status: str) -> None:
        self.logbook.keep_run(
            RunRecord(
                start=run_start(f"slow/{cell.task.name}/1", launch=self.logbook.open_launch("slow", 1), cell=cell.key),
                limits=cell.variant.limits.as_mapping(), status=status, error=None, exit_code=None,
                progress=Progress(time_s=1.0), provenance=Provenance(),
            )
        )  # fmt: skip


if __name__ == "__main__":
    unittest.main()
