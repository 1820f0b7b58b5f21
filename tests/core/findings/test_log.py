"""The runs as they are listed: filtered, remarked upon, voided, and held against what was foreseen of them."""

import unittest

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


if __name__ == "__main__":
    unittest.main()
