"""Drafts and finals, by hand: what a session takes, when drafts pay, and whether a draft tells its final."""

import unittest

from tests.written import WrittenLogbook, planned_task
from unvek.core.findings.budget import budget_of
from unvek.core.logbook.store import Logbook
from unvek.core.plan.model import RigWanted
from unvek.core.plan.price import Price
from unvek.core.run.events.record import LaunchAbout
from unvek.core.stats.sums import summed, times


class Budgeting(WrittenLogbook):
    def made(self, loads_s: dict[str, float], runs_s: dict[str, float], shades: dict[str, int], **plan) -> None:
        """Three launches of each variant, with what a load and a run take, and the pictures that it makes."""
        cells = [f"{name}/t{n}/{seed}" for name in runs_s for n in range(3) for seed in (1, 2)]
        self.plan(*runs_s, cells=cells, tasks=tuple(planned_task(f"t{n}") for n in range(3)), **plan)
        for number in (1, 2, 3):
            for name, run_s in runs_s.items():
                launch = self.logbook.open_launch(name, number)
                self.logbook.describe_launch(launch, loads_s[name], None, LaunchAbout())
                for place, cell in enumerate((cell for cell in cells if cell.startswith(f"{name}/")), 2):
                    self.run_made(cell, run_s, number, place=place, launch=launch, shade=shades[name] + place)

    def test_a_session_is_both_loads_and_every_run_and_what_it_saves(self):
        self.made({"final": 4.0, "draft": 2.0}, {"final": 10.0, "draft": 1.0}, {"final": 0, "draft": 0},
                  rig=RigWanted(price=Price(per_hour=3600.0)))  # fmt: skip
        found = budget_of(self.evidence(), "draft", "final", drafts_of_each=8, wanted=5)
        time = found.session["time_s"]
        self.assertAlmostEqual(time.value, 2 + 40 * 1 + 4 + 5 * 10)
        self.assertAlmostEqual(time.finals_alone.value, 4 + 40 * 10)
        self.assertAlmostEqual(time.saved.value, time.finals_alone.value - time.value)
        self.assertAlmostEqual(found.session["cost"].value, time.value, msg="a second costs one")
        self.assertEqual((found.pays_from_finals, found.pays_shown), (1, True))
        self.assertEqual((found.foretold.share, found.foretold.count), (1.0, 6))
        self.assertLess(found.foretold.low, 0.5, "three of three tasks are not certainty")

    def test_a_long_load_pays_late_and_slow_drafts_never(self):
        self.made({"final": 0.0, "draft": 100.0}, {"final": 2.0, "draft": 1.0}, {"final": 0, "draft": 50})
        found = budget_of(self.evidence(), "draft", "final", drafts_of_each=8, wanted=5)
        # A final less by the seven that are not made, and more by eight drafts: 6 s each.
        self.assertEqual(found.pays_from_finals, 17)
        self.assertLess(found.session["time_s"].saved.value, 0)
        self.assertEqual(found.foretold.share, 0.0, "its drafts are other pictures")
        never = budget_of(self.evidence(), "draft", "final", drafts_of_each=2, wanted=5)
        self.assertIsNone(never.pays_from_finals)

    def test_the_command_says_it_and_refuses_what_can_not_be(self):
        self.made({"final": 4.0, "draft": 2.0}, {"final": 10.0, "draft": 1.0}, {"final": 0, "draft": 50})
        self.evidence()
        said = " ".join(self.unvek("budget", "--drafts", "draft", "--finals", "final").stdout.split())
        self.assertIn("80 drafts with ● draft, 10 finals with ● final", said)
        self.assertIn("Drafts pay from 1 final on.", said)
        self.assertIn("In 0 of 100 items a draft is nearer to its own final", said)
        for options, words in (
            (("--drafts", "draft", "--finals", "draft"), "the same variant"),
            (("--drafts", "other", "--finals", "final"), "there is no variant 'other'"),
            (("--drafts", "draft", "--finals", "other"), "there is no variant 'other'"),
            (("--drafts", "draft", "--finals", "final", "--keep", "2:8"), "as in 1:8"),
        ):
            with self.subTest(options):
                self.assertIn(words, self.unvek("budget", *options, expect=2).stderr)
        with Logbook.open(self.folder / "logbook") as logbook:
            self.assertEqual(len(logbook.runs()), 36)

    def test_sums_take_each_side_by_itself(self):
        self.assertEqual(summed([(10.0, 7.0, 14.0), (5.0, 1.0, 8.0)]), (15.0, 10.0, 20.0))
        self.assertEqual(summed([(10.0, None, 14.0), (5.0, 1.0, 8.0)]), (15.0, None, 20.0))
        self.assertEqual(times((2.0, 1.0, 4.0), -3.0), (-6.0, -12.0, -3.0))


if __name__ == "__main__":
    unittest.main()
