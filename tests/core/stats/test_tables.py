"""Whole tables: levels with cells missing, what comparisons lend each other, and how often a table of equals is wrong."""

import unittest

import numpy as np
from scipy import special, stats

from unvek.core.stats.conclusions.conclusion import conclusion
from unvek.core.stats.over_launches.launches import ratios_together
from unvek.core.stats.over_launches.levels import Cells, Levels, cells_of, levels_of
from unvek.core.stats.over_launches.moderation import NOTHING_LENT, digamma, inverse_trigamma, lent, trigamma
from unvek.core.stats.quantiles import student_quantile

WORDS = ("faster", "slower")


def levels(values: list[float], launches: list[int], items: list[int]) -> Levels:
    return levels_of(cells_of(np.array(values), np.array(launches), np.array(items), max(launches) + 1, max(items) + 1))


class LevelsOfLaunches(unittest.TestCase):
    def test_with_all_cells_a_level_is_the_mean_of_the_medians(self):
        found = levels([1, 2, 9, 5, 3, 7], [0, 0, 0, 0, 1, 1], [0, 0, 0, 1, 0, 1])
        self.assertEqual((found.values.tolist(), found.degrees), ([3.5, 5.0], 1))
        self.assertAlmostEqual(found.spread()[0], 1.125)

    def test_an_item_that_a_launch_lacks_does_not_move_it(self):
        # The items lie 10 apart, the launches 0, 1 and 3; two cells are missing.
        added, of_items = np.array([0.0, 1.0, 3.0]), np.array([0.0, 10.0, 20.0])
        there = [(0, 0), (0, 1), (0, 2), (1, 0), (1, 1), (2, 1), (2, 2)]
        found = levels([added[a] + of_items[i] for a, i in there], *map(list, zip(*there, strict=True)))
        np.testing.assert_allclose(found.values, added + 10, atol=1e-9)
        self.assertEqual(found.degrees, 2)

    def test_launches_that_share_no_item_say_nothing_of_their_spread(self):
        found = levels([1.0, 2.0, 3.0], [0, 1, 2], [0, 1, 2])
        self.assertEqual((found.degrees, found.spread()), (0, None))
        halves = levels([1.0, 1.1, 5.0, 5.2], [0, 1, 2, 3], [0, 0, 1, 1])
        self.assertEqual(halves.degrees, 2)
        self.assertAlmostEqual(halves.spread()[0], (0.05**2 * 2 + 0.1**2 * 2) / 2)

    def test_whatever_cells_are_there_levels_come_of_them(self):
        rng = np.random.default_rng(4)
        for turn in range(300):
            launches, items = rng.integers(1, 9), rng.integers(1, 6)
            there = rng.random((launches, items)) < rng.uniform(0.2, 1)
            there[np.arange(launches), rng.integers(0, items, launches)] = True
            there[rng.integers(0, launches, items), np.arange(items)] = True
            where = np.argwhere(there)
            values = rng.choice([0.0, 1.0, 1.0, 50.0], len(where)) if turn % 2 else rng.standard_cauchy(len(where))
            found = levels_of(Cells(values, where[:, 0], where[:, 1], int(launches), int(items)))
            self.assertTrue(len(found.values) == launches and np.all(np.isfinite(found.values)), (turn, found))
            self.assertTrue(0 <= found.degrees < launches)

    def test_one_repeat_a_launch_does_not_make_it_sure(self):
        rng = np.random.default_rng(1)
        widths = []
        for items in (1, 3, 12, 25):
            cells = rng.normal(0, 0.05, (3, items))
            places = np.indices(cells.shape).reshape(2, -1)
            found = levels(cells.ravel().tolist(), *places.tolist())
            np.testing.assert_allclose(found.values, cells.mean(axis=1))
            widths.append(found.spread()[0])
        self.assertTrue(all(width > 0 for width in widths))


class Lending(unittest.TestCase):
    def test_the_functions_are_those_of_scipy(self):
        for x in (0.5, 1.0, 1.5, 2.0, 4.5, 30.0):
            self.assertAlmostEqual(digamma(x), special.digamma(x), places=8)
            self.assertAlmostEqual(trigamma(x), special.polygamma(1, x), places=8)
            self.assertAlmostEqual(inverse_trigamma(trigamma(x)), x, places=6)
        for share in (0.975, 0.995):
            for degrees in (2.3, 2.67, 4.5, 9.3):
                ratio = student_quantile(share, degrees) / stats.t.ppf(share, degrees)
                self.assertTrue(1 <= ratio < 1.01, (share, degrees, ratio))

    def test_variances_that_agree_are_lent_up_to_the_bound_and_others_less(self):
        alike = lent([1.0, 1.1, 0.9, 1.05, 0.95, 1.0], [2] * 6)
        self.assertEqual(alike.degrees, 4.0)
        self.assertAlmostEqual(alike.variance, 1.0)
        apart = lent([1.0, 1e-4, 1e4, 1e-6, 1e6, 10.0], [30] * 6)
        self.assertLess(apart.degrees, 0.5)
        self.assertEqual(alike.with_own(4.0, 2), (2.0, 6.0))

    def test_one_comparison_alone_is_lent_nothing(self):
        self.assertEqual(lent([1.0], [2]), NOTHING_LENT)
        self.assertEqual(lent([1.0, 0.0], [2, 2]), NOTHING_LENT)
        self.assertEqual(lent([], []), NOTHING_LENT)


class WholeTables(unittest.TestCase):
    """Of variants against one reference, whose launches they share."""

    def tables(self, variants: int, rounds: int, count: int, apart: float = 1.0):
        rng = np.random.default_rng(variants * rounds)
        for _ in range(count):
            spreads = 0.02 * apart ** rng.uniform(-1, 1, variants + 1)
            logs = rng.normal(0, 1, (rounds, variants + 1)) * spreads
            yield ratios_together({str(n): Levels(logs[:, n + 1] - logs[:, 0], rounds - 1) for n in range(variants)})

    def test_alone_they_hold_and_of_equals_any_is_told_apart_in_5_tables_of_100(self):
        for variants, rounds, apart in ((2, 3, 1.0), (7, 3, 1.0), (7, 3, 2.0), (11, 5, 2.0)):
            count, held, wrong = 800, 0.0, 0
            for table in self.tables(variants, rounds, count, apart):
                held += np.mean([ratio.low <= 1 <= ratio.high for ratio in table.values()])
                wrong += any(conclusion(ratio, True, WORDS, 0.02) in WORDS for ratio in table.values())
            self.assertTrue(0.925 <= held / count <= 0.975, (variants, rounds, held / count))
            self.assertLessEqual(wrong / count, 0.05 + 3 * np.sqrt(0.05 * 0.95 / count), (variants, rounds, apart))

    def test_one_comparison_is_students_alone_and_together(self):
        (ratio,) = next(self.tables(1, 3, 1)).values()
        self.assertEqual((ratio.low, ratio.high), (ratio.low_together, ratio.high_together))
        self.assertEqual((ratio.comparisons, ratio.lent_degrees), (1, 0.0))
        log_width = np.log(ratio.high / ratio.value)
        self.assertAlmostEqual(log_width, stats.t.ppf(0.975, 2) * ratio.spread / np.sqrt(3))

    def test_seven_lend_each_other_so_that_alone_they_are_narrower_and_together_hardly_wider(self):
        alone, together, own = [], [], []
        for table in self.tables(7, 3, 300):
            for ratio in table.values():
                alone.append(np.log(ratio.high / ratio.value))
                together.append(np.log(ratio.high_together / ratio.value))
                own.append(stats.t.ppf(0.975, 2) * 0.02 * np.sqrt(2 / 3))
        self.assertLess(np.mean(alone) / np.mean(own), 0.75)
        self.assertLess(np.mean(together) / np.mean(own), 1.2)


if __name__ == "__main__":
    unittest.main()
