"""Intervals, ratios and answers, against published examples, against SciPy's own tests, and against simulation."""

import math
import unittest
from dataclasses import replace

import numpy as np
from scipy import stats

from benchmarks.experiments import Hardships, runs_of
from unvek.core.plan.model import USUAL_MARGIN
from unvek.core.stats.conclusions.conclusion import conclusion, outlook
from unvek.core.stats.over_launches.launches import Ratio, Sample, location, paired_ratio, ratios_together
from unvek.core.stats.over_launches.levels import Levels
from unvek.core.stats.over_launches.settling import rounds_for, rounds_wanted
from unvek.core.stats.quantiles import student_quantile
from unvek.core.stats.student import mean_and_half_width, smallest_told, student_factor, wilson

MARGIN = USUAL_MARGIN.value
SPEED = ("faster", "slower")
# Hours of sleep gained with two drugs, ten patients (Student 1908, "The Probable Error of a Mean", p. 20).
SLEEP = np.array([[0.7, -1.6, -0.2, -1.2, -0.1, 3.4, 3.7, 0.8, 0.0, 2.0],
                  [1.9, 0.8, 1.1, 0.1, -0.1, 4.4, 5.5, 1.6, 4.6, 3.4]])  # fmt: skip


def sample(values, rounds, launches=None, items=None) -> Sample:
    """Runs of which each round is one launch, and all are of one item, unless told otherwise."""
    rounds = np.asarray(rounds)
    launches = rounds if launches is None else np.asarray(launches)
    items = np.ones(len(rounds), int) if items is None else np.asarray(items)
    return Sample(np.asarray(values, float), rounds, launches, items)


def known(value: float, low: float | None, high: float | None, spread: float | None) -> Ratio:
    """A ratio of three launches, alone in its table."""
    return Ratio(value=value, low=low, high=high, low_together=low, high_together=high, launches=3, spread=spread)


class Intervals(unittest.TestCase):
    def test_students_factor_is_the_tables(self):
        # Two-sided 95 %: 12.706, 4.303, 2.776, 2.262 for 1, 2, 4 and 9 degrees of freedom, in any table of t.
        for count, factor in ((2, 12.706), (3, 4.303), (5, 2.776), (10, 2.262)):
            self.assertAlmostEqual(student_factor(count), factor, places=3)

    def test_students_quantiles_are_those_of_scipy(self):
        for share in (0.5, 0.6, 0.95, 0.975, 0.995, 0.99999):
            ours = [student_quantile(share, degrees) for degrees in (*range(1, 40), 99, 500, 501, 1000, 9999)]
            theirs = stats.t.ppf(share, (*range(1, 40), 99, 500, 501, 1000, 9999))
            np.testing.assert_allclose(ours, theirs, rtol=1e-9, atol=1e-12)

    def test_the_interval_of_a_mean_is_that_of_scipys_t_test(self):
        values = np.array([4.1, 3.9, 4.4, 4.0, 4.2])
        mean, half_width = mean_and_half_width(values)
        theirs = stats.ttest_1samp(values, 0).confidence_interval(0.95)
        np.testing.assert_allclose([mean - half_width, mean + half_width], [theirs.low, theirs.high])

    def test_wilsons_interval_is_that_of_scipy(self):
        for count, total in ((0, 12), (3, 24), (12, 12), (1, 1000)):
            theirs = stats.binomtest(count, total).proportion_ci(0.95, method="wilson")
            np.testing.assert_allclose(wilson(count, total), (theirs.low, theirs.high), atol=1e-12)
        self.assertEqual(wilson(0, 0), (0.0, 1.0))

    def test_wilsons_interval_is_the_published_one(self):
        # Newcombe 1998, "Two-sided confidence intervals for the single proportion", table I.
        for count, total, low, high in ((81, 263, 0.2553, 0.3662), (15, 148, 0.0624, 0.1605), (0, 20, 0.0, 0.1611),
                                        (1, 29, 0.0061, 0.1718)):  # fmt: skip
            np.testing.assert_allclose(wilson(count, total), (low, high), atol=6e-5)

    def test_a_location_is_the_mean_over_items_of_medians_over_repeats_with_an_interval_over_launches(self):
        found = location(sample([1.0, 1.1, 9.0, 1.5, 2.2, 1.4, np.nan], [1, 1, 1, 2, 2, 2, 2]))
        mean, half_width = mean_and_half_width(np.log([1.1, 1.5]))
        np.testing.assert_allclose(
            [found.value, found.low, found.high], np.exp([mean, mean - half_width, mean + half_width]), rtol=1e-12
        )
        two_items = location(sample([1.0, 4.0, 1.0, 4.0], [1, 1, 2, 2], items=[1, 2, 1, 2]))
        self.assertAlmostEqual(two_items.value, 2.0)

    def test_where_all_runs_are_alike_the_location_is_what_each_of_them_took(self):
        rng = np.random.default_rng(5)
        for value in (*(10.0**power for power in range(-9, 13)), *np.round(10 ** rng.uniform(0, 12, 300))):
            rounds, items = (rng.integers(0, 9, 200) for _ in range(2))
            found = location(sample(np.full(200, value), rounds, items=items))
            self.assertEqual((found.value, found.low, found.high), (value, value, value))

    def test_an_item_that_a_launch_lacks_does_not_widen_it(self):
        # The second item takes ten times as long; the third launch lacks it.
        times = np.array([1.0, 10.0, 1.01, 10.1, 0.99])
        found = location(sample(times, [1, 1, 2, 2, 3], items=[1, 2, 1, 2, 1]))
        self.assertLess(found.high / found.low, 1.1)

    def test_one_launch_gives_no_interval(self):
        found = location(sample([1.0, 2.0, 3.0], [1, 1, 1]))
        self.assertEqual((found.value, found.low, found.high), (2.0, None, None))
        self.assertIsNone(location(sample([np.nan], [1])))


class Ratios(unittest.TestCase):
    def test_the_interval_of_paired_launches_is_the_published_one(self):
        # Of Student's differences: mean 1.58, 95 % from 0.7001142 to 2.4598858 (t = 4.0621 with 9 degrees of freedom).
        rounds = np.arange(10)
        found = paired_ratio(sample(np.exp(SLEEP[1]), rounds), sample(np.exp(SLEEP[0]), rounds))
        np.testing.assert_allclose(
            np.log([found.value, found.low, found.high]), [1.58, 0.7001142, 2.4598858], atol=1e-7
        )

    def test_a_ratio_is_paired_by_launch_and_item(self):
        # Rounds and items differ by much, the pairs by exactly 1/2: pairing leaves no doubt.
        theirs = np.array([1.0, 10.0, 3.0, 30.0, 0.5, 5.0])
        where = [1, 1, 2, 2, 3, 3], None, [1, 2, 1, 2, 1, 2]
        found = paired_ratio(sample(theirs / 2, *where), sample(theirs, *where))
        self.assertAlmostEqual(found.value, 0.5)
        self.assertAlmostEqual(found.high - found.low, 0.0)
        self.assertEqual(found.launches, 3)

    def test_a_round_taken_up_again_is_two_launches_but_one_pair(self):
        # In round 1 our first launch broke off after item 1; the reference made both items in one launch.
        theirs = sample([1.0, 2.0, 1.0, 2.0], [1, 1, 2, 2], [10, 10, 20, 20], [1, 2, 1, 2])
        ours = sample([1.1, 2.2, 1.2, 2.4], [1, 1, 2, 2], [11, 12, 21, 21], [1, 2, 1, 2])
        self.assertEqual(paired_ratio(ours, theirs).launches, 2)
        # Where the reference was started anew too, the halves share no launch, and are pairs of their own.
        apart = sample([1.0, 2.0, 1.0, 2.0], [1, 1, 2, 2], [10, 13, 20, 20], [1, 2, 1, 2])
        self.assertEqual(paired_ratio(ours, apart).launches, 3)

    def test_repeats_do_not_count_as_launches(self):
        once = paired_ratio(sample([1.0, 1.2, 0.9], [1, 2, 3]), sample([1.0, 1.0, 1.0], [1, 2, 3]))
        rounds = np.repeat([1, 2, 3], 50)
        often = paired_ratio(sample(np.repeat([1.0, 1.2, 0.9], 50), rounds), sample(np.ones(150), rounds))
        self.assertAlmostEqual(once.low, often.low)
        self.assertLess(once.low, 1.0)

    def test_one_disturbed_run_of_three_moves_nothing_and_one_alone_leaves_the_truth_within(self):
        where = [1] * 3 + [2] * 3 + [3] * 3, None
        times = np.array([1.0, 1.01, 1.02, 1.01, 1.0, 1.02, 0.99, 0.98, 1.0])
        disturbed = times * np.r_[1, 1, 9, np.ones(6)]
        found = paired_ratio(sample(disturbed / 2, *where), sample(times, *where))
        self.assertAlmostEqual(found.value, 0.5, places=2)
        self.assertLess(found.high, 0.52)
        alone = paired_ratio(sample(disturbed / 2, *where, [1, 2, 3] * 3), sample(times, *where, [1, 2, 3] * 3))
        self.assertTrue(alone.low < 0.5 < alone.high, alone)

    def test_what_has_no_partner_or_no_logarithm_has_no_ratio(self):
        self.assertIsNone(paired_ratio(sample([1.0], [1]), sample([1.0], [2])))
        self.assertIsNone(paired_ratio(sample([1.0, -1.0], [1, 2]), sample([1.0, 1.0], [1, 2])))
        self.assertIsNone(paired_ratio(sample([np.nan], [1]), sample([1.0], [1])))


class Experiments(unittest.TestCase):
    """Launches that differ, skew, outliers and drift: 2,000 experiments know a share to about 0.5 in 100."""

    COUNT = 2000

    def found(self, truth: float, rounds: int, seed: int, spread: float = 0.02) -> list[Ratio]:
        rng = np.random.default_rng(seed)
        runs = (runs_of(rng, truth, rounds, 3, 2, Hardships(), spread) for _ in range(self.COUNT))
        return [paired_ratio(*pair) for pair in runs]

    def test_intervals_hold_the_truth_93_to_97_times_in_100_and_oftener_where_a_slow_launch_widens_them(self):
        for rounds, most in ((3, 0.985), (5, 0.985), (10, 0.98)):
            held = sum(found.low <= 0.8 <= found.high for found in self.found(0.8, rounds, rounds))
            self.assertTrue(0.93 <= held / self.COUNT <= most, (rounds, held))

    def test_they_hold_whatever_the_items_repeats_and_missing_cells(self):
        plain = Hardships(skew=False, outliers=False, drift=False)
        for hard in (plain, replace(plain, missing=True), replace(plain, disturbed=True), replace(plain, modes=True)):
            for items, repeats in ((1, 1), (25, 1), (3, 3)):
                rng, held, count = np.random.default_rng(items), 0, 500
                for _ in range(count):
                    found = paired_ratio(*runs_of(rng, 0.8, 4, items, repeats, hard, 0.005))
                    held += found is None or found.low is None or found.low <= 0.8 <= found.high
                self.assertGreaterEqual(held / count, 0.92, (hard, items, repeats))  # 0.95, and 3 standard errors

    def test_faster_or_slower_is_seldom_said_where_nothing_differs(self):
        said = [conclusion(found, True, SPEED, MARGIN) for found in self.found(1.0, 5, 50)]
        self.assertLessEqual(sum(word in SPEED for word in said) / self.COUNT, 0.05)

    def test_same_is_seldom_said_of_a_difference_beyond_the_margin(self):
        said = [conclusion(found, True, SPEED, MARGIN) for found in self.found(1 + MARGIN, 5, 51, spread=0.005)]
        self.assertLessEqual(said.count("same") / self.COUNT, 0.05)

    def test_adding_rounds_until_it_is_known_does_not_spoil_the_interval(self):
        rng = np.random.default_rng(52)
        held, taken = 0, []
        for _ in range(1000):
            ours, theirs = runs_of(rng, 0.8, 20, 3, 2, Hardships())
            rounds = min(20, rounds_wanted([(ours, theirs)], 4, 0.03))
            found = paired_ratio(ours.where(ours.rounds <= rounds), theirs.where(theirs.rounds <= rounds), pilot=4)
            held += found.low <= 0.8 <= found.high
            taken.append(rounds)
            if rounds < 20:
                # Later rounds move the items' usual values a little, and with them the spread of the first rounds.
                self.assertLessEqual(found.high / found.value, 1.04)
        self.assertTrue(0.93 <= held / 1000 <= 0.985, held)
        self.assertGreater(len(set(taken)), 10)


class Settling(unittest.TestCase):
    def test_the_rounds_are_steins(self):
        # t = 2.776 with 4 degrees of freedom: (2.776 * 0.04 / log 1.03)^2 = 14.1.
        self.assertEqual(rounds_for(0.04, 5, 0.03), 15)
        self.assertEqual(rounds_for(0.0, 5, 0.03), 5)

    def test_only_the_first_rounds_decide(self):
        rng = np.random.default_rng(1)
        ours, theirs = runs_of(rng, 0.9, 8, 2, 2, Hardships())
        wild = Sample(np.where(ours.rounds > 3, 99.0, ours.values), ours.rounds, ours.launches, ours.items)
        self.assertEqual(rounds_wanted([(ours, theirs)], 3, 0.05), rounds_wanted([(wild, theirs)], 3, 0.05))
        self.assertIsNone(rounds_wanted([(ours.where(ours.rounds > 99), theirs)], 3, 0.05))


class Answers(unittest.TestCase):
    def test_the_four_answers(self):
        for low, high, expected in ((0.5, 0.6, "faster"), (1.2, 1.4, "slower"), (0.99, 1.01, "same"), (0.981, 0.999, "same"),
                                    (0.9, 1.1, "unclear"), (0.97, 0.999, "faster")):  # fmt: skip
            ratio = known(math.sqrt(low * high), low, high, 0.01)
            self.assertEqual(conclusion(ratio, True, SPEED, MARGIN), expected, (low, high))
        more_is_better = known(1.3, 1.2, 1.4, 0.1)
        self.assertEqual(conclusion(more_is_better, False, ("better", "worse"), MARGIN), "better")
        self.assertIsNone(conclusion(None, True, SPEED, MARGIN))
        self.assertIsNone(conclusion(known(1, None, None, None), True, SPEED, MARGIN))

    def test_so_many_more_rounds_tell_as_often_as_they_say(self):
        rng, told = np.random.default_rng(5), {"low": [], "middle": [], "high": []}
        for _ in range(400):
            true, n = rng.normal(0, 0.03), int(rng.choice([3, 5, 10]))
            logs = true + rng.normal(0, 0.03, n + 1000)
            ratio = ratios_together({"": Levels(logs[:n], n - 1)})[""]
            if conclusion(ratio, True, SPEED, MARGIN) == "unclear" and (ahead := outlook(ratio, MARGIN)) is not None:
                for name, of in told.items():
                    if (more := getattr(ahead, name)) is not None:
                        later = ratios_together({"": Levels(logs[: n + more], n + more - 1)})[""]
                        of.append(conclusion(later, True, SPEED, MARGIN) != "unclear")
        shares = {name: np.mean(of) for name, of in told.items()}
        self.assertTrue(shares["low"] < 0.35 < shares["middle"] < 0.75 < 0.85 < shares["high"], shares)

    def test_the_smallest_difference_is_told_8_times_in_10_and_a_smaller_one_hardly(self):
        rng = np.random.default_rng(6)
        for rounds in (3, 6, 10):
            shown = smallest_told(0.03, rounds, rounds - 1)
            told = [conclusion(ratios_together({"": Levels(true + rng.normal(0, 0.03, rounds), rounds - 1)})[""], True, SPEED, MARGIN)
                    == "slower" for true in (shown, shown / 3) for _ in range(300)]  # fmt: skip
            self.assertGreater(np.mean(told[:300]), 0.75)
            self.assertLess(np.mean(told[300:]), 0.4)

    def test_what_no_number_of_rounds_would_tell_is_not_foretold(self):
        self.assertIsNone(outlook(replace(known(1.0, 0.9, 1.1, 90.0), launches=10**6, degrees=1e6), MARGIN))
        self.assertIsNone(outlook(known(1.0, None, None, None), MARGIN))


if __name__ == "__main__":
    unittest.main()
