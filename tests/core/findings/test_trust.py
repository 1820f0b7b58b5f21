"""What a figure rests on: cold told from warm, one rig from another, one file from another under its name; forecasts scored."""

import math
import random
import sqlite3
import unittest

import numpy as np

from tests.core.findings.test_evidence import RIG, WrittenLogbook, run_start
from tests.support import QUICK, SLOW, ProjectTest, task, variant
from unvek.core.errors import InputError
from unvek.core.evidence.gathering import Selection, gather
from unvek.core.evidence.warming import still_warming
from unvek.core.findings.comparison.comparison import compare
from unvek.core.plan.cells import Cell, cells_of, read_sources
from unvek.core.plan.read import read_plan
from unvek.core.run.events.record import Progress, Provenance, RunRecord
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
        self.assertAlmostEqual(slow.measures["time.total"].median, 1.1)
        self.assertEqual((slow.first_run_s, slow.finished), (9.0, 4))
        self.assertEqual((quick.failures.count, quick.runs), (1, 2))
        self.assertTrue(any("cold" in note for note in found.notes), found.notes)

    def test_a_variant_with_cold_runs_only_is_shown_and_said_to_be(self):
        self.plan("slow", "quick", cells=CELLS, quality=None)
        self.run_made(CELLS[0], 1.0, place=2)
        self.run_made(CELLS[1], 3.0, place=1)
        found = compare(gather(self.logbook), RIG)
        self.assertEqual(found.rows[1].measures["time.total"].median, 3.0)
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
            ),
            None,
        )  # fmt: skip


class ChangedFiles(ProjectTest):
    def test_weights_that_changed_under_their_name_are_told_by_check_and_run(self):
        self.write("weights.bin", "the first weights")
        self.write("helper.py", "SHADE = 1\n")
        script = self.folder / "model.py"
        script.write_text(script.read_text().replace("import ctypes", "import helper, ctypes"))
        self.write_plan(SLOW + 'weights = ["weights.bin"]\n', task(seeds=(1,)))
        self.assertEqual(self.result("check")["changes"], [])
        self.unvek("run")
        self.assertEqual(self.result("check")["changes"], [])
        made_of = self.result("show", "1")["provenance"]
        self.assertEqual([path.rpartition("/")[2] for path in made_of["modules"]], ["helper.py"])
        self.write("weights.bin", "quite other weights")
        self.write("helper.py", "SHADE = 2\n")
        changes = self.result("check")["changes"]
        self.assertEqual([(c["what"], c["path"].rpartition("/")[2], c["last_run"]) for c in changes],
                         [("weights", "weights.bin", 1), ("module", "helper.py", 1)])  # fmt: skip
        self.assertIn(
            "weights.bin (weights of slow) is not the file that run 1 was made with", self.unvek("check").stdout
        )
        self.assertIn("is not the file that run 1 was made with", self.unvek("run").stderr)
        self.assertEqual(len(self.log()), 2, "the cell was run anew")


class ForecastsScored(ProjectTest):
    def test_every_run_after_the_first_was_foreseen_and_is_scored(self):
        self.write_plan(SLOW, QUICK, task(), rounds=3, warmups=1)
        self.unvek("run")
        found = self.result("log", "--forecasts")
        self.assertEqual((found["kind"], found["forecasts"], found["unforeseen"]), ("forecasts", 17, 1))
        self.assertGreater(found["held"], 8)
        for row in found["rows"]:
            self.assertEqual(row["held"], row["low_s"] <= row["time_s"] <= row["high_s"])
        self.assertEqual(found["sessions"], [])
        self.unvek("run", "--afresh")
        (session,) = self.result("log", "--forecasts")["sessions"]
        self.assertEqual(session["runs"], 12)
        self.assertEqual(session["held"], session["low_s"] <= session["took_s"] <= session["high_s"])
        self.assertIn("The time foreseen held for", self.unvek("log", "--forecasts").stdout)
        self.assertEqual(self.result("show", "18")["forecast"]["basis"], "same cell")


class Remarks(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        self.write_plan(SLOW, variant("bad", do="raise"), task())
        self.unvek("run", expect=1)

    def test_a_note_is_kept_with_its_run_and_shown(self):
        self.unvek("note", "1", "the till was busy \x1b[31m")
        self.unvek("note", "1", "and again")
        notes = self.result("show", "1")["notes"]
        self.assertEqual([note["text"] for note in notes], ["the till was busy \x1b[31m", "and again"])
        shown = self.unvek("show", "1").stdout
        self.assertIn("the till was busy", shown)
        self.assertNotIn("\x1b", shown)
        self.assertEqual([row["noted"] for row in self.log()], [True, False, False, False])
        self.assertIn("there is no run 99", self.unvek("note", "99", "x", expect=2).stderr)

    def test_a_voided_run_counts_nowhere_and_is_made_anew_until_it_is_taken_in_again(self):
        self.unvek("void", "1", expect=2)
        self.unvek("void", "1", "--why", "the machine was being updated")
        self.assertEqual(self.result("show", "1")["voided"], "the machine was being updated")
        self.assertEqual(self.result("compare")["rows"][0]["runs"], 1)
        self.unvek("void", "1", "--undo")
        self.assertEqual(self.result("compare")["rows"][0]["runs"], 2)
        self.unvek("void", "1", "--why", "again")
        self.assertIn("1 run made", self.unvek("run").stderr)

    def test_the_list_is_filtered(self):
        for arguments, runs in (
            (("--variant", "s*"), [1, 2]), (("--status", "failed"), [3, 4]), (("--status", "failed", "--status", "finished"), [1, 2, 3, 4]),
            (("--task", "rose"), []), (("--since", "1 h"), [1, 2, 3, 4]), (("--since", "2199-01-01"), []), (("--varied", "steps=8"), []),
        ):  # fmt: skip
            with self.subTest(arguments):
                found = self.result("log", *arguments)
                self.assertEqual([row["run"] for row in found["rows"]], runs)
                self.assertEqual(found["left_out"], 4 - len(runs))
        self.assertIn("2 others do not fit", self.unvek("log", "--variant", "slow").stdout)
        self.assertIn("None of the 4 runs fits", self.unvek("log", "--task", "rose").stdout)
        self.assertIn("there is no status 'fine'", self.unvek("log", "--status", "fine", expect=2).stderr)
        self.assertIn("is no moment", self.unvek("log", "--since", "noon", expect=2).stderr)


class Trials(ProjectTest):
    def test_a_trial_is_made_shown_and_kept_apart(self):
        self.write_plan(SLOW, QUICK, task(), rounds=2)
        found = self.result("try", "--variant", "quick", "--set", "steps=5", "--prompt", "another", "--seeds", "1..2,7")
        self.assertEqual((found["variant"], found["prompt"], found["settings"]["steps"]), ("quick", "another", 5))
        self.assertEqual([(row["seed"], row["status"], row["steps"]) for row in found["rows"]],
                         [(seed, "finished", 5) for seed in (1, 2, 7)])  # fmt: skip
        self.assertEqual(self.log(), [])
        self.unvek("compare", expect=2)
        self.assertEqual(
            [row["varied"] for row in self.result("log", "--tries", "--varied", "steps=5")["rows"]], [{"steps": 5}] * 3
        )
        self.unvek("run")
        self.assertEqual(self.statuses(), ["finished"] * 8)
        text = self.unvek("try").stdout
        self.assertIn("slow", text)
        self.assertIn("seed 1:", text)

    def test_what_is_written_is_counted_and_a_stand_in_is_named(self):
        self.write(
            "model.py",
            "import time\ndef load(variant): 0\ndef run(model, job, probe):\n"
            "    for _ in range(4):\n        probe.token('leaf ')\n        time.sleep(0.001)\n",
        )
        plan = self.write_plan(SLOW, task())
        row = self.result("try")["rows"][0]
        self.assertEqual((row["written"]["count"], row["written"]["unit"], row["source"]), (4, "tokens", "measured"))
        plan.write_text(plan.read_text() + '\n[rig]\nsimulated_accelerator = "24 MiB"\n')
        text = self.unvek("try").stdout
        self.assertRegex(text, r"4 tokens, the first after .*, then [\d.]+ a second")
        self.assertIn("Simulated", text)

    def test_what_can_not_be_tried_is_told(self):
        self.write_plan(SLOW, variant("bad", do="raise"), task())
        for arguments, words in (
            (("--variant", "slo"), "no variant 'slo'; it has slow, bad; did you mean slow?"), (("--task", "x"), "no task 'x'"),
            (("--seeds", "6..1"), "a range upwards"), (("--seeds", "x"), "can't be read"), (("--set", "steps"), "no NAME=VALUE"),
        ):  # fmt: skip
            self.assertIn(words, self.unvek("try", *arguments, expect=2).stderr)
        self.assertIn("no such flower", self.unvek("try", "--variant", "bad", expect=1).stdout)


if __name__ == "__main__":
    unittest.main()
