"""What stands beside a typical run, and how launches lie: groups, sums, slowest, drift, many texts as one."""

import unittest

import numpy as np
from scipy import stats

from tests.core.stats.test_launches import sample
from unvek.core.stats.over_launches.beside import ratios_of_sums, slowest
from unvek.core.stats.over_launches.shape import BY_CHANCE, apart, least_apart, two_groups
from unvek.core.stats.over_tasks.corpus import over_all_tokens
from unvek.core.stats.over_tasks.drift import drift


class Groups(unittest.TestCase):
    def test_two_modes_are_told_apart_with_both_levels(self):
        rng = np.random.default_rng(1)
        in_upper = np.arange(12) % 4 == 1
        found = two_groups(np.log(np.where(in_upper, 1.08, 1.0)) + rng.normal(0, 0.004, 12))
        np.testing.assert_array_equal(found.is_upper, in_upper)
        np.testing.assert_allclose(np.exp([found.lower, found.upper]), [1.0, 1.08], rtol=0.005)

    def test_one_group_is_taken_for_two_in_1_of_100_at_most_skewed_ones_in_3(self):
        rng = np.random.default_rng(2)
        for most, drawn in ((1.0, rng.standard_normal), (3.0, lambda n: rng.gamma(2, 1, n)), (6.0, rng.random)):
            for n in (4, 6, 10, 20):
                shares = [two_groups(drawn(n)) is not None for _ in range(1500)]
                self.assertLessEqual(100 * np.mean(shares), most, (most, n))

    def test_the_best_cut_is_found_as_by_trying_all(self):
        values = np.sort(np.random.default_rng(3).normal(0, 1, 9))
        within = [sum(len(part) * part.var() for part in (values[:cut], values[cut:])) for cut in range(1, 9)]
        count, far = apart(values)
        self.assertEqual(count, 1 + int(np.argmin(within)))
        t = stats.ttest_ind(values[count:], values[:count]).statistic
        self.assertAlmostEqual(far, t)

    def test_what_chance_does_is_known_for_every_number_of_launches(self):
        self.assertEqual(least_apart(4), BY_CHANCE[4])
        self.assertTrue(BY_CHANCE[8] > least_apart(9) > BY_CHANCE[10])
        self.assertAlmostEqual(least_apart(400), 2 * BY_CHANCE[100])
        self.assertIsNone(two_groups(np.array([1.0, 1.0, 9.0])), "of three launches nothing can be told")
        self.assertIsNone(two_groups(np.ones(8)))


class Sums(unittest.TestCase):
    def test_a_stall_is_in_the_mean_and_a_long_item_in_the_total(self):
        rounds, items = np.repeat([1, 2, 3], 6), np.tile([0, 0, 0, 1, 1, 1], 3)
        usual = np.tile([1.0, 1.0, 1.0, 10.0, 10.0, 10.0], 3)
        stalls = usual * np.tile([1, 1, 7, 1, 1, 1], 3)
        slow_long = usual * np.tile([1, 1, 1, 2, 2, 2], 3)
        theirs = sample(usual, rounds, items=items)
        for values, mean, total in ((stalls, 13 / 11, 1.0), (slow_long, 21 / 11, 21 / 11)):
            pairs = {"": (sample(values, rounds, items=items), theirs)}
            self.assertAlmostEqual(ratios_of_sums(pairs, averaged=True)[""].value, mean)
            self.assertAlmostEqual(ratios_of_sums(pairs, averaged=False)[""].value, total)

    def test_an_item_that_a_pair_of_launches_lacks_is_in_no_sum(self):
        theirs = sample([1, 10, 1, 10], [1, 1, 2, 2], items=[0, 1, 0, 1])
        ours = sample([2, 20, 2], [1, 1, 2], items=[0, 1, 0])
        self.assertAlmostEqual(ratios_of_sums({"": (ours, theirs)}, averaged=True)[""].value, 2.0)
        lacking = sample([2, 20], [1, 2], items=[0, 1])
        self.assertEqual(ratios_of_sums({"": (lacking, theirs)}, averaged=True), {})

    def test_the_slowest_are_told_from_40_runs_on(self):
        self.assertIsNone(slowest(sample(np.ones(39), np.ones(39))))
        self.assertAlmostEqual(slowest(sample(np.arange(41.0), np.ones(41))), 38.0)


class Scales(unittest.TestCase):
    def test_drift_is_0_for_a_rerun_and_1_for_another_seed(self):
        scale, tasks = np.array([0.4, 0.5, 0.3, 0.4]), np.arange(4)
        for share in (0.0, 0.5, 1.0):
            self.assertAlmostEqual(drift(share * scale, scale, tasks).value, share)
        self.assertIsNone(drift(np.zeros(4), np.zeros(4), tasks))
        alone = drift(np.array([0.1]), np.array([0.4]), np.array([0]))
        self.assertEqual((alone.value, alone.low, alone.high), (0.25, None, None))
        wide = drift(np.array([0.1]), np.array([0.4]), np.array([0]), over_launches=0.04)
        np.testing.assert_allclose((wide.low, wide.high), (0.15, 0.35))

    def test_its_interval_holds_the_truth_and_seeds_of_a_task_are_no_more_of_them(self):
        rng, held = np.random.default_rng(4), 0
        tasks = np.repeat(np.arange(8), 3)
        for _ in range(400):
            scale = 0.4 + np.repeat(rng.normal(0, 0.05, 8), 3)
            found = drift(scale * (0.3 + np.repeat(rng.normal(0, 0.1, 8), 3) + rng.normal(0, 0.02, 24)), scale, tasks)
            held += found.low <= 0.3 <= found.high
        self.assertGreater(held / 400, 0.9)

    def test_a_corpus_is_over_tokens_and_not_over_texts(self):
        rounds, items, tokens = [1, 1, 1], [0, 1, 2], [10.0, 10.0, 980.0]
        ours, theirs = sample([2.0, 2.0, 8.0], rounds, items=items), sample([2.0, 2.0, 4.0], rounds, items=items)
        found = over_all_tokens(ours, sample(tokens, rounds, items=items), theirs)
        self.assertAlmostEqual(found.value, np.exp(np.average(np.log([2, 2, 8]), weights=tokens)))
        self.assertAlmostEqual(found.ratio, 2**0.98)
        self.assertTrue(found.low < found.ratio < found.high)
        self.assertIsNone(over_all_tokens(sample([2.0], [1]), sample([9.0], [1]), None), "one text is no other figure")


if __name__ == "__main__":
    unittest.main()
