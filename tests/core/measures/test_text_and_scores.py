"""Measures of texts and scores: published examples, identities, and what is refused."""

import math
import unittest

import numpy as np

from unvek.core.measures import scores, text


def distance(a: str, b: str) -> int:
    """The distance by its definition, to hold the quick one against."""
    row = list(range(len(b) + 1))
    for i, x in enumerate(a, 1):
        row = _next_row(row, i, x, b)
    return row[-1]


def _next_row(before: list[int], i: int, x: str, b: str) -> list[int]:
    row = [i]
    for j, y in enumerate(b, 1):
        row.append(min(before[j] + 1, row[-1] + 1, before[j - 1] + (x != y)))
    return row


class Texts(unittest.TestCase):
    def test_known_distances(self):
        # The examples that textbooks give: kitten and sitting are 3 apart, Saturday and Sunday too.
        for a, b, edits in (("kitten", "sitting", 3), ("Saturday", "Sunday", 3), ("", "abc", 3), ("flaw", "lawn", 2)):
            self.assertAlmostEqual(text.edit(a, b), 1 - edits / max(len(a), len(b)))

    def test_the_quick_distance_is_the_plain_one(self):
        rng = np.random.default_rng(3)
        for _ in range(60):
            a, b = ("".join(rng.choice(list("ab\u00e9\U0001f33f "), rng.integers(0, 25))) for _ in range(2))
            longer = max(len(a), len(b)) or 1
            self.assertAlmostEqual(text.edit(a, b), 1 - distance(a, b) / longer, msg=(a, b))
            self.assertEqual(text.edit(a, b), text.edit(b, a))

    def test_long_texts_are_compared_in_part(self):
        self.assertEqual(text.edit("", ""), 1.0)
        long = "abcd" * 6000
        self.assertEqual(text.edit(long, long), 1.0)
        self.assertAlmostEqual(text.edit(long, long + "x" * 1000), 1 - 1000 / 25000)

    def test_what_is_wanted_is_looked_for_in_any_case(self):
        self.assertEqual(text.holds("Stand it in HALF shade.", ["half shade", "loam"]), 0.5)
        with self.assertRaisesRegex(ValueError, "nothing is wanted"):
            text.holds("x", [])
        self.assertEqual((text.exact(" a\n", "a"), text.exact("A", "a")), (1.0, 0.0))


class Scores(unittest.TestCase):
    def test_perplexity_of_an_even_guess_is_the_number_of_choices(self):
        even = np.full((7, 12), -math.log(12), np.float32)
        self.assertAlmostEqual(scores.perplexity(even, np.arange(7)), 12, places=5)
        self.assertAlmostEqual(scores.kl(even, even), 0)
        for tokens in (np.arange(6), np.array([12] * 7), np.array([-1] * 7)):
            with self.assertRaises(ValueError):
                scores.perplexity(even, tokens)

    def test_divergence_of_two_coins(self):
        # Cover and Thomas, Elements of Information Theory, 2006, example 2.3.1: D(p||q) with r = 1/2, s = 1/4 is 0.2075 bits.
        p, q = np.log([[0.5, 0.5]]), np.log([[0.75, 0.25]])
        self.assertAlmostEqual(scores.kl(p, q) / math.log(2), 0.2075, places=4)
        self.assertAlmostEqual(scores.kl(q, p) / math.log(2), 0.1887, places=4)
        impossible = np.array([[0.0, -np.inf]])
        self.assertAlmostEqual(scores.kl(impossible, p), math.log(2))
        with self.assertRaises(ValueError):
            scores.kl(p, np.zeros((1, 3)))
        self.assertEqual(scores.top1(np.vstack([p, q]), np.vstack([q, q])), 1.0)


if __name__ == "__main__":
    unittest.main()
