"""The runs as they are listed: filtered, remarked upon, voided, and held against what was foreseen of them."""

import csv
import io
import sqlite3
import unittest
from contextlib import closing

from tests.support import QUICK, SLOW, ProjectTest, task, variant


class ForecastsScored(ProjectTest):
    def test_every_run_after_the_first_was_foreseen_and_is_scored(self):
        self.write_plan(SLOW, QUICK, task(), rounds=3, warmups=1)
        self.unvek("run")
        found = self.result("log", "--forecasts")
        self.assertEqual((found["kind"], found["forecasts"], found["unforeseen"]), ("forecasts", 17, 1))
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
        self.have_runs(expect=1)

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


class Many(ProjectTest):
    """A list is written in blocks, of more runs than one block holds."""

    RUNS = 10_500

    def setUp(self) -> None:
        super().setUp()
        names = ("plain", "=1+1", 'a "b", c', "long\u2028line", "täglich")
        rows = [("kiosk" if n % 3 == 0 else "till", names[n % 5], n, n / 7) for n in range(1, self.RUNS + 1)]
        with open(self.folder / "times.csv", "w", encoding="utf-8", newline="") as file:
            csv.writer(file).writerows([("variant", "task", "seed", "time_s"), *rows])
        self.unvek("import", "times.csv")

    def test_each_of_them_is_in_every_form_of_the_list(self):
        found = self.result("log")
        self.assertEqual((found["kind"], found["left_out"], found["earlier"]), ("runs", 0, 0))
        self.assertEqual([row["seed"] for row in found["rows"]], list(range(1, self.RUNS + 1)))
        self.assertEqual([row["time_s"] for row in found["rows"]], [n / 7 for n in range(1, self.RUNS + 1)])
        header, *lines = csv.reader(io.StringIO(self.unvek("log", "--as", "csv").stdout, newline=""))
        self.assertEqual([int(line[header.index("seed")]) for line in lines], list(range(1, self.RUNS + 1)))
        self.assertEqual(
            [float(line[header.index("time_s")]) for line in lines], [n / 7 for n in range(1, self.RUNS + 1)]
        )
        shown = {line[header.index("task")] for line in lines}
        self.assertEqual(shown, {"plain", "'=1+1", 'a "b", c', "long\N{REPLACEMENT CHARACTER}line", "täglich"})
        few = self.result("log", "--variant", "k*")
        self.assertEqual([row["seed"] for row in few["rows"]], list(range(3, self.RUNS + 1, 3)))
        self.assertEqual(few["left_out"], self.RUNS - self.RUNS // 3)
        self.assertIn("The newest 200; 3300 earlier ones", self.unvek("log", "--variant", "kiosk").stdout)

    def test_whoever_has_read_enough_waits_for_nothing_and_is_told_nothing(self):
        self.damage_what_no_list_reads()
        with self.start("log", "--as", "csv") as listing:
            self.assertIn("variant", listing.stdout.readline())
            listing.stdout.close()
            self.assertEqual(listing.stderr.read(), "", "the logbook is not looked through for damage then")
        self.assertEqual(listing.returncode, 1)

    def damage_what_no_list_reads(self) -> None:
        with closing(sqlite3.connect(self.folder / "logbook" / "runs.sqlite")) as database, database:
            database.execute("UPDATE run_details SET phases_s = 'x' WHERE run = 5")
        self.assertIn("is damaged", self.unvek("show", "5", expect=2).stderr)


if __name__ == "__main__":
    unittest.main()
