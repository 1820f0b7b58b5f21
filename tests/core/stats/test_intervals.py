"""Intervals, ratios and frontiers, against published values, against SciPy's own tests, and against simulation."""

import math
import unittest

import numpy as np
from scipy import stats

from unvek.core.stats.answers import answer, rounds_to_settle
from unvek.core.stats.frontier import beats, frontier_probabilities, on_frontier
from unvek.core.stats.intervals import Ratio, location, mean_and_half_width, paired_ratio, student_factor, wilson

SPEED = ("faster", "slower")


class Intervals(unittest.TestCase):
    def test_students_factor_is_the_tables(self):
        # Two-sided 95 %: 12.706, 4.303, 2.776, 2.262 for 1, 2, 4 and 9 degrees of freedom, in any table of t.
        for count, factor in ((2, 12.706), (3, 4.303), (5, 2.776), (10, 2.262)):
            self.assertAlmostEqual(student_factor(count), factor, places=3)

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

    def test_a_location_is_the_median_with_an_interval_over_rounds(self):
        values = np.array([1.0, 1.1, 9.0, 2.0, 2.2, 1.8, np.nan])
        rounds = np.array([1, 1, 1, 2, 2, 2, 2])
        found = location(values, rounds)
        mean, half_width = mean_and_half_width(np.log([1.1, 2.0]))
        self.assertEqual(found.value, 1.9)
        np.testing.assert_allclose([found.low, found.high], np.exp([mean - half_width, mean + half_width]))

    def test_one_round_gives_no_interval(self):
        found = location(np.array([1.0, 2.0, 3.0]), np.array([1, 1, 1]))
        self.assertEqual((found.value, found.low, found.high), (2.0, None, None))
        self.assertIsNone(location(np.array([np.nan]), np.array([1])))


class Ratios(unittest.TestCase):
    def ratio(self, ours, theirs, rounds, items) -> Ratio | None:
        rounds, items = np.array(rounds), np.array(items)
        return paired_ratio(np.array(ours), rounds, items, np.array(theirs), rounds, items)

    def test_a_ratio_is_paired_by_round_and_item(self):
        # Rounds and items differ by much, the pairs by exactly 1/2: pairing leaves no doubt.
        theirs = np.array([1.0, 10.0, 3.0, 30.0, 0.5, 5.0])
        found = self.ratio(theirs / 2, theirs, [1, 1, 2, 2, 3, 3], [1, 2, 1, 2, 1, 2])
        self.assertAlmostEqual(found.value, 0.5)
        self.assertAlmostEqual(found.high - found.low, 0.0)
        self.assertEqual(found.rounds, 3)

    def test_its_interval_is_that_of_scipys_paired_t_test_on_logs(self):
        rng = np.random.default_rng(1)
        ours, theirs = rng.lognormal(0, 0.1, 5), rng.lognormal(0.2, 0.1, 5)
        found = self.ratio(ours, theirs, [1, 2, 3, 4, 5], [1] * 5)
        expected = stats.ttest_rel(np.log(ours), np.log(theirs)).confidence_interval(0.95)
        np.testing.assert_allclose([found.low, found.high], np.exp([expected.low, expected.high]))

    def test_repeats_do_not_count_as_rounds(self):
        once = self.ratio([1.0, 1.2, 0.9], [1.0, 1.0, 1.0], [1, 2, 3], [1, 1, 1])
        values = np.repeat([1.0, 1.2, 0.9], 50)
        often = self.ratio(values, np.ones(150), np.repeat([1, 2, 3], 50), np.ones(150, int))
        self.assertAlmostEqual(once.low, often.low)
        self.assertLess(once.low, 1.0)

    def test_what_has_no_partner_or_no_logarithm_has_no_ratio(self):
        one = np.array([1.0])
        self.assertIsNone(paired_ratio(one, np.array([1]), np.array([1]), one, np.array([2]), np.array([1])))
        self.assertIsNone(self.ratio([1.0, -1.0], [1.0, 1.0], [1, 2], [1, 1]))
        self.assertIsNone(self.ratio([np.nan], [1.0], [1], [1]))

    def test_intervals_hold_the_truth_about_95_times_in_100(self):
        """With effects of rounds, skew and outliers; 2,000 experiments know the share to about 1 in 100."""
        rng = np.random.default_rng(7)
        for rounds in (3, 5, 10):
            held = 0
            for _ in range(2000):
                shape = (rounds, 2, 2)
                shared = rng.normal(0, 0.05, (rounds, 1, 1))
                noise = rng.exponential(0.02, (2, *shape)) + (rng.random((2, *shape)) < 0.02) * 0.3
                own = rng.normal(0, 0.03, (2, rounds, 1, 1))
                ours, theirs = np.exp(shared + own + noise + np.array([math.log(0.8), 0.0])[:, None, None, None])
                where = np.indices(shape)
                found = self.ratio(ours.ravel(), theirs.ravel(), where[0].ravel(), where[1].ravel())
                held += found.low <= 0.8 <= found.high
            self.assertTrue(0.93 <= held / 2000 <= 0.97, (rounds, held))


class Answers(unittest.TestCase):
    def test_the_four_answers(self):
        for low, high, expected in ((0.5, 0.6, "faster"), (1.2, 1.4, "slower"), (0.99, 1.01, "same"), (0.981, 0.999, "same"),
                                    (0.9, 1.1, "unclear"), (0.97, 0.999, "faster")):  # fmt: skip
            ratio = Ratio(value=math.sqrt(low * high), low=low, high=high, rounds=3, spread=0.01)
            self.assertEqual(answer(ratio, True, SPEED), expected, (low, high))
        more_is_better = Ratio(value=1.3, low=1.2, high=1.4, rounds=3, spread=0.1)
        self.assertEqual(answer(more_is_better, False, ("better", "worse")), "better")
        self.assertIsNone(answer(None, True, SPEED))
        self.assertIsNone(answer(Ratio(value=1, low=None, high=None, rounds=1, spread=None), True, SPEED))

    def test_the_rounds_that_would_settle_it_do(self):
        ratio = Ratio(value=0.95, low=0.85, high=1.06, rounds=3, spread=0.045)
        more = rounds_to_settle(ratio)
        count = ratio.rounds + more
        self.assertLess(student_factor(count) * 0.045 / math.sqrt(count), -math.log(0.95))
        self.assertGreater(student_factor(count - 1) * 0.045 / math.sqrt(count - 1), -math.log(0.95))
        self.assertIsNone(rounds_to_settle(Ratio(value=1.0, low=0.1, high=9.0, rounds=3, spread=3.0)))


class Frontiers(unittest.TestCase):
    COSTS = np.array([[1.0, 5.0], [2.0, 2.0], [3.0, 3.0], [5.0, 1.0], [2.0, 2.0]])

    def test_who_beats_whom(self):
        self.assertEqual(np.argwhere(beats(self.COSTS)).tolist(), [[1, 2], [4, 2]])
        self.assertEqual(on_frontier(self.COSTS).tolist(), [True, True, False, True, True])

    def test_the_unknown_neither_beats_nor_is_beaten(self):
        self.assertFalse(beats(np.array([[1.0, np.nan], [2.0, 2.0]])).any())

    def test_probabilities_tell_the_certain_from_the_doubtful(self):
        rng = np.random.default_rng(3)
        rounds = np.array([[[1.0, 9.0], [8.0, 9.5], [1.0 + e, 8.0]] for e in rng.normal(0, 0.2, 8)])
        doubtful, beaten, sure = frontier_probabilities(rounds)
        self.assertEqual((beaten, sure), (0.0, 1.0))
        self.assertTrue(0.1 < doubtful < 0.9, doubtful)
        self.assertEqual(frontier_probabilities(rounds).tolist(), [doubtful, beaten, sure])


if __name__ == "__main__":
    unittest.main()
