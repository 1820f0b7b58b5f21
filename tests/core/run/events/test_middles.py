"""The median of very many times is the median, to the last digit."""

import random
import unittest
from array import array
from statistics import StatisticsError, median
from unittest.mock import patch

from unvek.core.run.events import middles
from unvek.core.run.events.middles import InOrder, median_of
from unvek.core.stats.quantiles import quantile


class Middles(unittest.TestCase):
    def test_it_is_what_the_library_says_whatever_the_numbers(self):
        draw = random.Random(7)
        numbers = (
            draw.random, lambda: -draw.random(), lambda: draw.choice([0.0, -0.0, 1.0, 2.0]),
            lambda: draw.gauss(0, 1) * 10.0 ** draw.randint(-300, 300), lambda: 5e-324 * draw.randint(0, 3),
            lambda: draw.choice([1.7976931348623157e308, -1.7976931348623157e308]),
        )  # fmt: skip
        with patch.object(middles, "MANY", 50):
            for count in (51, 52, 99, 100, 101, 150, 151, 999, 1000):
                for one in numbers:
                    values = array("d", (one() for _ in range(count)))
                    self.assertEqual(median_of(values), median(values))

    def test_numbers_stand_in_their_order(self):
        draw = random.Random(8)
        values = array("d", (draw.choice([draw.random(), 0.5, -1.0]) for _ in range(301)))
        with patch.object(middles, "MANY", 50):
            ordered = InOrder(values)
            self.assertEqual(list(ordered), sorted(values))
            self.assertEqual((ordered[-1], ordered[2:5], len(ordered)), (max(values), sorted(values)[2:5], 301))
            self.assertEqual(quantile(ordered, 0.99), quantile(sorted(values), 0.99))

    def test_of_few_and_of_none(self):
        self.assertEqual(median_of([3.0, 1.0, 2.0]), 2.0)
        with self.assertRaises(StatisticsError):
            median_of(array("d"))


if __name__ == "__main__":
    unittest.main()
