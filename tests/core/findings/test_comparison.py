"""What a comparison answers: within which margin, and of how many comparisons."""

import unittest

import numpy as np
from scipy import stats

from tests.written import RIG, WrittenLogbook
from unvek.core.evidence.gathering import gather
from unvek.core.findings.comparison.comparison import compare
from unvek.core.findings.comparison.found import Comparison
from unvek.core.plan.model import Margin
from unvek.core.run.events.record import Progress, Value


class Answers(WrittenLogbook):
    def compared(self, *names: str, **plan) -> Comparison:
        """Variants of which the second takes 3 % longer, on eight items, in three launches each."""
        rng = np.random.default_rng(1)
        self.plan(*names, cells=[f"{name}/violet/{n}" for name in names for n in range(8)], quality=None, **plan)
        for number in range(1, 4):
            for place, name in enumerate(names):
                launch = self.logbook.open_launch(name, number)
                for n in range(8):
                    time_s = (1.03 if place == 1 else 1.0) * np.exp(rng.normal(0, 0.004))
                    self.run_made(f"{name}/violet/{n}", time_s, number, place=n + 2, launch=launch)
        return compare(gather(self.logbook), RIG)

    def test_within_a_margin_of_the_plans_own_it_is_the_same(self):
        usual = self.compared("full", "swift").rows[1]
        self.assertEqual(usual.measures["time.total"].answer, "slower")
        wide = self.compared("full", "swift", margins={"time.total": Margin(value=0.05)}).rows[1]
        self.assertEqual(wide.measures["time.total"].answer, "same")
        self.assertEqual(wide.sentence, "swift takes as long as full, within 5 %.")
        self.assertEqual(wide.measures["time.total"].margin, Margin(value=0.05))
        self.assertEqual(wide.measures["memory.peak"].margin, Margin(value=0.02))

    def test_a_table_says_of_how_many_comparisons_and_one_alone_says_nothing(self):
        many = self.compared("full", "swift", "half", "small")
        self.assertTrue(any("of 3 comparisons together" in note for note in many.notes), many.notes)
        ratio = many.rows[1].measures["time.total"].ratio
        self.assertEqual(ratio.comparisons, 3)
        self.assertTrue(ratio.low_together < ratio.low < ratio.high < ratio.high_together)
        alone = self.compared("full", "swift")
        self.assertFalse(any("comparisons together" in note for note in alone.notes), alone.notes)
        ratio = alone.rows[1].measures["time.total"].ratio
        self.assertEqual((ratio.low, ratio.high), (ratio.low_together, ratio.high_together))

    def test_what_is_told_as_0_or_1_is_a_share_with_an_exact_interval(self):
        self.plan(
            "full", "swift", cells=[f"{name}/t{n}/1" for name in ("full", "swift") for n in range(8)], quality=None
        )
        for name in ("full", "swift"):
            launch = self.logbook.open_launch(name, 1)
            for n in range(8):
                passed = Value(name="passed", number=float(name == "full" or n > 1), unit="")
                self.run_made(
                    f"{name}/t{n}/1", place=n + 2, launch=launch, progress=Progress(time_s=1.0, values=(passed,))
                )
        rows = compare(gather(self.logbook), RIG, ["passed"]).rows
        full, swift = (row.measures["passed"] for row in rows)
        self.assertEqual((full.typical, swift.typical, swift.over), (1.0, 0.75, "tasks"))
        np.testing.assert_allclose((swift.low, swift.high), stats.binomtest(6, 8).proportion_ci(0.95))
        self.assertTrue(swift.ratio.low < 0.75 < 1 < swift.ratio.high)

    def test_an_amount_is_a_share_of_what_the_reference_has(self):
        self.assertAlmostEqual(Margin(value=0.01, is_absolute=True).share_of(0.5), 0.02)
        self.assertEqual(Margin(value=0.01, is_absolute=True).share_of(None), 0.0)
        self.assertEqual((Margin(value=0.01, is_absolute=True).words, Margin(value=0.015).words), ("0.01", "1.5 %"))


if __name__ == "__main__":
    unittest.main()
