"""What a launch leaves behind is found, with its interval, where the order tells it; and nothing is where there is none."""

import unittest

import numpy as np

from unvek.core.plan.cells import order_of_round
from unvek.core.stats.conclusions.conclusion import conclusion
from unvek.core.stats.over_launches.carry_over import carry_over
from unvek.core.stats.over_launches.launches import ratios_together
from unvek.core.stats.over_launches.levels import Levels


def launches(rng: np.random.Generator, variants: int, rounds: int, left: float, order: str = "balanced", spread=0.005):
    """Logs of what launches take, their variants, rounds and the ones before; variant 1 leaves the machine slower."""
    made, last = [], -1
    for number in range(1, rounds + 1):
        for variant in order_of_round(tuple(range(variants)), order, 0, number):
            made.append((0.1 * variant + left * (last == 1) + rng.normal(0, spread), variant, number, last))
            last = variant
    levels, *rest = map(np.array, zip(*made, strict=True))
    return levels, *rest


class CarryOver(unittest.TestCase):
    def test_what_one_leaves_behind_is_found_with_its_interval(self):
        rng, held, told = np.random.default_rng(1), 0, 0
        for _ in range(200):
            found = carry_over(*launches(rng, 4, 8, left=0.02))
            held += all(low <= true <= high for low, true, high in zip(
                found.lows, [np.expm1(-0.02 / 3), np.expm1(0.02), np.expm1(-0.02 / 3), np.expm1(-0.02 / 3)], found.highs, strict=True
            ))  # fmt: skip
            told += found.lows[1] > 0
        self.assertGreaterEqual(held, 184)
        self.assertGreaterEqual(told, 190)

    def test_nothing_is_told_of_equals_and_a_follower_is_not_called_slower(self):
        rng, told, wrong = np.random.default_rng(2), 0, 0
        for _ in range(200):
            found = carry_over(*launches(rng, 4, 8, left=0.0))
            told += bool(np.any((found.lows > 0) | (found.highs < 0)))
            levels, variants, rounds, _ = launches(rng, 4, 4, left=0.02, spread=0.01)
            of = [levels[variants == n][np.argsort(rounds[variants == n])] - 0.1 * n for n in range(4)]
            ratios = ratios_together({n: Levels(of[n] - of[0], 3) for n in (1, 2, 3)})
            wrong += any(conclusion(ratio, True, ("faster", "slower"), 0.02) == "slower" for ratio in ratios.values())
        self.assertLessEqual(told, 16)
        self.assertLessEqual(wrong, 16)

    def test_where_the_order_does_not_tell_it_nothing_is_said(self):
        rng = np.random.default_rng(3)
        self.assertIsNone(carry_over(*launches(rng, 4, 8, 0.02, order="listed")))
        self.assertIsNone(carry_over(*launches(rng, 2, 8, 0.02)), "of two it can't be told from the difference")
        self.assertIsNone(carry_over(*launches(rng, 4, 1, 0.02)))


if __name__ == "__main__":
    unittest.main()
