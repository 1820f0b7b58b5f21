"""Ratings against an independent optimizer and closed forms, in experiments of known truth and at the ends; agreement."""

import unittest
from functools import cached_property

import numpy as np
from scipy.optimize import minimize

from unvek.core.stats.judged.agreement import alpha
from unvek.core.stats.judged.ratings import EVEN, LEFT, RIGHT, PairVerdicts, rate
from unvek.core.stats.shares import clopper_pearson


def drawn(rng, strengths, n, items, side=0.0, ties=0.5, item_sd=0.0) -> PairVerdicts:
    """Verdicts by the model, on pairs in turn; each item has a taste of its own."""
    count = len(strengths)
    pairs = [(i, j) for i in range(count) for j in range(i)]
    chosen = np.array([pairs[place] for place in rng.permutation(np.arange(n) % len(pairs))])
    turned = rng.permutation(np.arange(n) % 2).astype(bool)
    left, right = np.where(turned, chosen.T[1], chosen.T[0]), np.where(turned, chosen.T[0], chosen.T[1])
    item = rng.permutation(np.arange(n) % items)
    own = np.asarray(strengths) + rng.normal(0, item_sd, (items, count))
    d = own[item, left] - own[item, right] + side
    chances = np.cumsum([np.exp(d / 2), np.exp(-d / 2), np.full(n, ties)], axis=0)
    at = rng.random(n) * chances[-1]
    said = np.select([at < chances[0], at < chances[1]], [LEFT, RIGHT], EVEN)
    return PairVerdicts(left, right, said, item)


class Rated(unittest.TestCase):
    def test_an_independent_optimizer_finds_the_same(self):
        verdicts = drawn(np.random.default_rng(1), [0.8, 0.0, -0.5], 3000, 20, side=0.4)

        def loss(x: np.ndarray) -> float:
            d = np.r_[x[:2], -x[:2].sum()][verdicts.left] - np.r_[x[:2], -x[:2].sum()][verdicts.right] + x[2]
            logs = np.stack([d / 2, -d / 2, np.full(len(d), x[3])])
            said = np.select([verdicts.said == LEFT, verdicts.said == RIGHT], [logs[0], logs[1]], logs[2])
            return float(-(said - np.log(np.exp(logs).sum(axis=0))).sum())

        found, best = rate(verdicts, 3), minimize(loss, np.zeros(4), tol=1e-9).x
        np.testing.assert_allclose(found.strengths[:2], best[:2], atol=0.01)  # what is added pulls a little
        self.assertAlmostEqual(found.parameters[3], best[2], delta=0.01)
        self.assertAlmostEqual(found.parameters[4], best[3], delta=0.01)

    def test_of_two_it_is_the_share_of_wins_with_ties_half(self):
        for won, lost, ties in ((60, 20, 20), (300, 100, 0), (10, 10, 80)):
            said = np.repeat([LEFT, RIGHT, EVEN], [won, lost, ties])
            left = np.arange(len(said)) % 2
            # Half of each on either side.
            verdicts = PairVerdicts(left, 1 - left, np.where(left == 0, said, -said), np.arange(len(said)) % 10)
            found = rate(verdicts, 2).winning(0, 1)
            self.assertAlmostEqual(found.value, (won + ties / 2) / len(said), delta=0.01)

    def test_intervals_hold_and_no_preference_is_said_of_equals(self):
        rng, held, told, sides = np.random.default_rng(2), 0, 0, 0
        for _ in range(200):
            found = rate(drawn(rng, [0.5, 0.0, -0.5], 120, 8, side=0.8, item_sd=0.7), 3)
            # With items of their own taste the truth is that of many items.
            held += found.winning(0, 1).low <= self.truth <= found.winning(0, 1).high
            sides += found.left_share().low > 0.5
            equals = rate(drawn(rng, [0.0, 0.0, 0.0], 120, 8, side=0.8, item_sd=0.7), 3)
            told += any(not e.low <= 0.5 <= e.high for e in (equals.winning(n, 0, 2) for n in (1, 2)))
        self.assertGreaterEqual(held, 183)
        self.assertLessEqual(told, 16)
        self.assertGreaterEqual(sides, 150)

    @cached_property
    def truth(self) -> float:
        rng = np.random.default_rng(3)
        return rate(drawn(rng, [0.5, 0.0, -0.5], 30_000, 3000, side=0.8, item_sd=0.7), 3).winning(0, 1).value

    def test_five_of_five_are_not_sure(self):
        n, items = 40, 5
        left = np.arange(n) % 2
        item = np.arange(n) // 2 % items
        all_won = rate(PairVerdicts(left, 1 - left, np.where(left == 0, LEFT, RIGHT), item), 2).winning(0, 1)
        self.assertLessEqual(all_won.low, clopper_pearson(items, items)[0] + 1e-9)
        self.assertEqual(all_won.high, 1.0)
        all_even = rate(PairVerdicts(left, 1 - left, np.zeros(n, int), item), 2).winning(0, 1)
        self.assertLessEqual(all_even.low, 0.5 - clopper_pearson(0, items)[1] / 2 + 1e-9)
        all_left = rate(PairVerdicts(left, 1 - left, np.full(n, LEFT), item), 2)
        self.assertAlmostEqual(all_left.winning(0, 1).value, 0.5, delta=0.01)
        self.assertLess(all_left.left_share().low, 0.6)
        self.assertIsNone(rate(PairVerdicts(left, 1 - left, all_left.clusters * left, left * 0), 2).winning(0, 1).low)

    def test_what_no_verdict_connects_is_not_rated(self):
        left, right = np.array([0, 2] * 10), np.array([1, 3] * 10)
        found = rate(PairVerdicts(left, right, np.resize([LEFT, RIGHT, EVEN], 20), np.arange(20) % 7), 4)
        self.assertIsNone(found.winning(0, 2))
        self.assertIsNotNone(found.winning(0, 1))
        self.assertTrue(np.all(np.isfinite(found.strengths)))

    def test_a_variant_that_only_ever_wins_against_one_that_wins_is_bounded_below(self):
        ours, theirs = np.repeat([0, 1], 16), np.repeat([1, 2], 16)
        said = np.r_[np.full(16, LEFT), np.resize([LEFT, LEFT, RIGHT, RIGHT], 16)]
        turned = np.arange(32) % 2 == 1
        left, right = np.where(turned, theirs, ours), np.where(turned, ours, theirs)
        found = rate(PairVerdicts(left, right, np.where(turned, -said, said), np.arange(32) // 2 % 8), 3)
        self.assertEqual(found.winning(0, 2).high, 1.0)
        self.assertGreater(found.winning(0, 2).low, 0.3)


class Agreement(unittest.TestCase):
    def test_it_is_krippendorffs_of_his_own_example(self):
        # Krippendorff 2011, section E: four observers, twelve units, some values missing.
        rows = [
            (1, 2, 3, 3, 2, 1, 4, 1, 2, None, None, None), (1, 2, 3, 3, 2, 2, 4, 1, 2, 5, None, 3),
            (None, 3, 3, 3, 2, 3, 4, 2, 2, 5, 1, None), (1, 2, 3, 3, 2, 4, 4, 1, 2, 5, 1, None),
        ]  # fmt: skip
        known = [(unit, value) for row in rows for unit, value in enumerate(row) if value is not None]
        units, values = (np.array(column) for column in zip(*known, strict=True))
        self.assertAlmostEqual(alpha(units, values, in_steps=False).value, 0.743, places=3)
        self.assertAlmostEqual(alpha(units, values).value, 0.849, places=3)

    def test_chance_is_about_0_and_its_interval_holds_it(self):
        rng, held = np.random.default_rng(5), 0
        for _ in range(100):
            units, values = np.repeat(np.arange(30), 3), rng.integers(0, 3, 90) / 2
            found = alpha(units, values)
            held += found.low <= 0 <= found.high
        self.assertGreaterEqual(held, 88)

    def test_without_two_values_of_one_unit_there_is_none(self):
        self.assertIsNone(alpha(np.arange(5), np.ones(5)))
        self.assertIsNone(alpha(np.array([], int), np.array([])))
        self.assertIsNone(alpha(np.array([0, 0, 1, 1]), np.ones(4)).low)


if __name__ == "__main__":
    unittest.main()
