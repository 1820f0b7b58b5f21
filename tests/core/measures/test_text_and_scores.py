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


def common(a: tuple[str, ...], b: tuple[str, ...]) -> int:
    """The longest common subsequence by its definition."""
    if not a or not b:
        return 0
    return common(a[:-1], b[:-1]) + 1 if a[-1] == b[-1] else max(common(a[:-1], b), common(a, b[:-1]))


class MoreOfTexts(unittest.TestCase):
    def test_common_words_are_counted_as_published(self):
        # Lin (2004), section 3.1: the candidates for "police killed the gunman".
        for candidate, wanted in (("police kill the gunman", 3 / 4), ("the gunman kill police", 2 / 4),
                                  ("the gunman police killed", 2 / 4)):  # fmt: skip
            self.assertAlmostEqual(text.rouge_l(candidate, "Police killed the gunman."), wanted)
        rng = np.random.default_rng(9)
        for _ in range(40):
            a, b = (tuple(rng.choice(list("abc"), rng.integers(1, 8))) for _ in range(2))
            wanted = 2 * common(a, b) / (len(a) + len(b))
            self.assertAlmostEqual(text.rouge_l(" ".join(a), " ".join(b)), wanted, msg=(a, b))
        self.assertEqual((text.rouge_l("", "."), text.rouge_l("a", ""), text.rouge_l("x y", "x y")), (1, 0, 1))

    def test_what_is_said_again_at_once_is_a_loop(self):
        self.assertEqual(text.loop("water it weekly and " * 4), 0.75)
        self.assertEqual(text.loop("one two three " + "yes " * 7), 6 / 10)
        for fine in (
            "",
            "word",
            "very very good",
            "half shade and loam, half sun and clay, half shade and peat",
            "a b " * 2,
        ):
            self.assertEqual(text.loop(fine), 0, fine)
        self.assertGreater(text.loop("start here. " + "keep the soil moist at all times. " * 300), 0.98)

    def test_json_parses_whole_and_with_its_keys(self):
        card = '{"name": "violet", "light": "half shade"}'
        for right in (card, f"```json\n{card}\n```", f" {card}\n"):
            self.assertEqual((text.parses(right), text.parses(right, ["light"])), (1, 1))
        self.assertEqual(
            (text.parses(card, ["light", "soil"]), text.parses("[1]", ["light"]), text.parses("[1]")), (0, 0, 1)
        )
        for wrong in ("", "{", card + card, "{'a': 1}", "NaN", "[" * 100_000, "here it is: {}"):
            self.assertEqual(text.parses(wrong), 0, wrong[:20])

    def test_an_answer_is_the_last_number(self):
        for said, right in (
            ("It takes 3 pots, so 12.", 1),
            ("12 pots of 3", 0),
            ("1,012", 0),
            ("x = 1.2e1", 1),
            ("none", 0),
            ("", 0),
        ):
            self.assertEqual(text.answer(said, ["12"]), right, said)
        self.assertEqual((text.answer("about 11.9", ["12"]), text.answer("about 11.9", ["12"], "0.1001")), (0, 1))
        self.assertEqual(text.answer("1,012.5", ["1012.5"]), 1)
        for wanted in ([], ["twelve"]):
            self.assertRaisesRegex(ValueError, "no number is wanted", text.answer, "12", wanted)
        self.assertEqual(text.length("half shade,\n  and loam"), 4)


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
