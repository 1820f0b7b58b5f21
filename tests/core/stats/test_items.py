"""Intervals of scores, against SciPy's own bootstrap, and against simulation."""

import unittest
from dataclasses import replace

import numpy as np
from scipy import stats

from tests.core.stats.test_launches import sample
from unvek.core.stats.conclusions.conclusion import conclusion
from unvek.core.stats.over_tasks.items import (
    bca_interval,
    mean_of,
    ratio_of_means,
    score_location,
    score_ratio,
    task_record,
)


class Bootstrap(unittest.TestCase):
    def test_it_is_that_of_scipy(self):
        values = np.random.default_rng(4).gamma(1.5, 1.0, 60)
        ours = bca_interval(values, mean_of, draws=20_000)
        theirs = stats.bootstrap((values,), np.mean, n_resamples=20_000, method="BCa", rng=1).confidence_interval
        np.testing.assert_allclose(ours, (theirs.low, theirs.high), rtol=0.01)

    def test_a_ratio_of_means_is_that_of_scipy(self):
        rng = np.random.default_rng(5)
        theirs = rng.gamma(4, 1.0, 40)
        pairs = np.stack([theirs * rng.lognormal(-0.2, 0.3, 40), theirs], axis=-1)
        found = bca_interval(pairs, ratio_of_means, draws=20_000)
        expected = stats.bootstrap(
            (pairs[:, 0], pairs[:, 1]), lambda a, b, axis: a.mean(axis) / b.mean(axis), paired=True, n_resamples=20_000,
            method="BCa", vectorized=True, rng=1,
        ).confidence_interval  # fmt: skip
        np.testing.assert_allclose(found, (expected.low, expected.high), rtol=0.01)


class Scores(unittest.TestCase):
    def test_a_score_that_every_launch_repeats_is_not_taken_for_sure(self):
        by_item = np.array([0.9, 0.7, 0.95, 0.8, 0.85, 0.6, 0.92, 0.75])
        rounds, items = np.repeat([1, 2, 3], 8), np.tile(np.arange(8), 3)
        found = score_location(sample(np.tile(by_item, 3), rounds, items=items))
        self.assertTrue(found.low < 0.8 and found.high > 0.85, found)

    def test_shares_of_whole_items_have_an_interval_too(self):
        found = score_location(sample([1, 1, 0, 1, 1, 1, 0, 1], [1] * 8, items=np.arange(8)), averaged=True)
        self.assertEqual(found.value, 0.75)
        self.assertTrue(0.2 < found.low < 0.6 and 0.85 < found.high <= 1.0, found)

    def test_few_items_have_students_interval(self):
        found = score_location(sample([1.0, 2.0, 3.0], [1, 1, 1], items=[1, 2, 3]), averaged=True)
        expected = stats.ttest_1samp([1.0, 2.0, 3.0], 0).confidence_interval(0.95)
        np.testing.assert_allclose([found.low, found.high], [expected.low, expected.high])

    def test_a_ratio_of_scores_is_paired_by_item(self):
        by_item = np.array([0.9, 0.1, 0.5, 0.8, 0.2, 0.6])
        ours, theirs = sample(0.9 * by_item, [1] * 6, items=np.arange(6)), sample(by_item, [1] * 6, items=np.arange(6))
        found = score_ratio(ours, theirs)
        np.testing.assert_allclose([found.value, found.low, found.high], 0.9)
        self.assertIsNone(score_ratio(sample([0.0], [1]), sample([0.0], [1])))
        self.assertIsNone(score_ratio(sample([1.0], [1], items=[1]), sample([1.0], [1], items=[2])))

    def test_five_of_five_are_not_sure_and_never_the_same(self):
        right = sample([1.0] * 5, [1] * 5, items=np.arange(5))
        found = score_location(right, averaged=True)
        self.assertEqual((found.value, found.high), (1.0, 1.0))
        self.assertAlmostEqual(found.low, 0.4781763, places=6)
        ratio = score_ratio(right, right, averaged=True)
        self.assertTrue(ratio.low < 0.6 and ratio.high > 1.4, ratio)
        self.assertEqual(conclusion(ratio, False, ("better", "worse"), 0.02), "unclear")

    def test_a_record_is_of_tasks_and_says_which_way_is_better(self):
        theirs = sample([1.0, 1.0, 0.5, 0.5, 0.0, 1.0], [1] * 6, items=np.arange(6))
        ours = sample([1.0, 0.0, 0.5, 0.5, 0.5, 0.0], [1] * 6, items=np.arange(6))
        apart = task_record(ours, theirs, more_is_better=True)
        self.assertEqual((apart.better, apart.alike, apart.worse), (1, 3, 2))
        pairs = [replace(side, tasks=side.items // 2) for side in (ours, theirs)]
        by_task = task_record(*pairs, more_is_better=False)
        self.assertEqual((by_task.better, by_task.alike, by_task.worse), (2, 1, 0))
        self.assertAlmostEqual(by_task.p, 0.5)
        self.assertIsNone(task_record(ours.where(ours.items < 1), theirs.where(theirs.items > 1), more_is_better=True))

    def test_seeds_of_one_task_are_one_draw(self):
        rng = np.random.default_rng(9)
        for tasks, seeds in ((4, 3), (8, 3)):
            held = counted_apart = 0
            for _ in range(600):
                of_tasks = 0.8 + rng.normal(0, 0.1, tasks)
                scores = np.repeat(of_tasks, seeds) + rng.normal(0, 0.01, tasks * seeds)
                runs = sample(
                    np.tile(scores, 3), np.repeat([1, 2, 3], tasks * seeds), items=np.tile(np.arange(tasks * seeds), 3)
                )
                found = score_location(replace(runs, tasks=runs.items // seeds))
                held += found.low <= 0.8 <= found.high
                apart = score_location(runs)
                counted_apart += apart.low <= 0.8 <= apart.high
            self.assertGreaterEqual(held / 600, 0.92, (tasks, seeds))
            self.assertLess(counted_apart / 600, 0.85, "as if each seed were a task")

    def test_intervals_hold_the_truth(self):
        """Of skewed scores of 12 items, each the same in every launch: 1,000 experiments know the share to 0.7."""
        rng = np.random.default_rng(8)
        truth, held = 2 / 3, 0
        for _ in range(1000):
            by_item = rng.beta(2, 1, 12)
            found = score_location(sample(np.tile(by_item, 3), np.repeat([1, 2, 3], 12), items=np.tile(np.arange(12), 3)),
                                   averaged=True)  # fmt: skip
            held += found.low <= truth <= found.high
        self.assertTrue(930 <= held <= 970, held)


if __name__ == "__main__":
    unittest.main()
