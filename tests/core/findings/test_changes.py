"""Before and after: sessions and files held against now, what got worse, and what can't be told of two days alone."""

import unittest

import numpy as np

from tests.support import QUICK, SLOW, ProjectTest, task
from unvek.core.stats.over_launches.apart import Sides, ratios_apart
from unvek.core.stats.over_launches.launches import Sample


class Nights(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        self.plan = self.write_plan(SLOW, QUICK, task(seeds=[1, 2]), rounds=3, quality=True)
        self.have_runs()

    def another_night(self, slower: float = 1.0) -> list[str]:
        """Make all runs anew, and have those of quick take longer; return the names of the sessions so far."""
        self.unvek("run", "--afresh")
        sessions = [row["session"] for row in self.result("log", "--sessions")["rows"]]
        rng = np.random.default_rng(len(sessions))
        self.have_taken(
            lambda row: (
                (0.1 if row["variant"] == "slow" else 0.04)
                * (slower if row["session"] == sessions[-1] and row["variant"] == "quick" else 1.0)
                * float(np.exp(rng.normal(0, 0.002)))
            )
        )
        return sessions

    def test_what_got_slower_ends_a_strict_check_with_1_and_the_other_does_not(self):
        sessions = self.another_night(slower=1.2)
        done = self.unvek("compare", "--between", *sessions, "--strict", expect=1)
        self.assertIn("1 variant of 2 got worse by more than a margin", done.stdout)
        self.assertIn("quick is 0.83x as fast as before (20 % more time) (worse than its margin allows).", done.stdout)
        self.assertIn("From 3 sessions before on it is.", " ".join(done.stdout.split()))
        found = self.result("compare", "--between", *sessions)
        rows = {row["variant"]: row["measures"]["time.total"] for row in found["rows"]}
        self.assertAlmostEqual(rows["quick"]["ratio"]["value"], 1.2, delta=0.01)
        self.assertEqual((rows["quick"]["is_worse"], rows["slow"]["is_worse"]), (True, False))
        self.assertEqual((rows["slow"]["answer"], found["over"], found["same_rig"]), ("same", "launches", True))
        turned = self.unvek("compare", "--between", *sessions[::-1], "--strict")
        self.assertIn("Nothing is shown to have got worse", turned.stdout)

    def test_what_is_made_otherwise_is_named_though_its_cells_are_other_ones(self):
        script = self.folder / "model.py"
        script.write_text(script.read_text() + "\n# another thing\n")
        found = self.result("compare", "--between", *self.another_night()[:2])
        self.assertEqual([row["made_otherwise"] for row in found["rows"]], [["model.py: another content"]] * 2)

    def test_a_plan_names_a_file_of_earlier_runs_and_strict_holds_now_against_it(self):
        self.unvek("export", "then.jsonl")
        self.assertIn('earlier = "FILE"', self.unvek("compare", "--strict", expect=2).stderr)
        self.another_night()
        self.have_taken(lambda row: 0.2)
        self.plan.write_text('earlier = "then.jsonl"\n' + self.plan.read_text())
        self.unvek("measure")
        done = self.unvek("compare", "--strict", expect=1)
        self.assertIn("before: then.jsonl", done.stdout)
        self.plan.write_text(self.plan.read_text().replace("then.jsonl", "nowhere.jsonl"))
        self.assertIn("a file that exists", self.unvek("check", expect=2).stdout)

    def test_moments_and_names_that_leave_a_side_empty_are_told(self):
        for options, words in (
            (("--before", "2000-01-01"), "no session from before then"),
            (("--before", "2100-01-01"), "no session from since then"),
            (("--between", "one", "two"), "there is no session 'one'"),
            (("--before", "soon"), "is no moment"),
            (("--before", "gone.html"), "there is no file gone.html"),
            (("--before", "1 h", "--between", "a", "b"), "either --before or --between"),
        ):
            with self.subTest(options):
                self.assertIn(words, self.unvek("compare", *options, expect=2).stderr)


class Apart(unittest.TestCase):
    def sides(self, days: list[float], now: float, is_of_sessions: bool) -> Sides:
        """Three launches a session, 0.1 % apart, of three items; sessions lie at these levels."""
        rng = np.random.default_rng(3)

        def sample(levels: list[float]) -> tuple[Sample, np.ndarray]:
            session, launch, item = (place.ravel() for place in np.indices((len(levels), 3, 3)))
            logs = np.array(levels)[session] + rng.normal(0, 0.001, (len(levels) * 3))[session * 3 + launch]
            return Sample(np.exp(logs), session, launch, item), session if is_of_sessions else session * 3 + launch

        (later, later_units), (earlier, earlier_units) = sample([now]), sample(days)
        return Sides(later, earlier, later_units, earlier_units)

    def test_how_much_sessions_differ_is_in_the_interval_only_where_sessions_are_what_is_counted(self):
        days = [0.0, 0.05, -0.04, 0.02]
        narrow = ratios_apart({"": self.sides(days[:1], 0.04, is_of_sessions=False)})[""]
        self.assertGreater(narrow.low, 1.03, "one day's launches know nothing of days")
        wide = ratios_apart({"": self.sides(days, 0.04, is_of_sessions=True)})[""]
        self.assertLess(wide.low, 1.0)
        self.assertGreater(wide.high, 1.05)

    def test_one_unit_on_both_sides_has_no_interval_and_no_common_item_no_ratio(self):
        alone = ratios_apart({"": self.sides([0.0], 0.04, is_of_sessions=True)})[""]
        self.assertEqual((alone.low, round(alone.value, 2)), (None, 1.04))
        sides = self.sides([0.0], 0.04, is_of_sessions=False)
        other = Sample(sides.later.values, sides.later.rounds, sides.later.launches, sides.later.items + 10)
        self.assertEqual(ratios_apart({"": Sides(other, sides.earlier, sides.later_units, sides.earlier_units)}), {})


if __name__ == "__main__":
    unittest.main()
