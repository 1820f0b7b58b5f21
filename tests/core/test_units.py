"""Quantities are read with their units and worded in one way."""

import unittest

from unvek.core.units import (
    bytes_words,
    decimals_for,
    duration_words,
    parse_bytes,
    parse_duration,
    range_words,
    speed_words,
)


class Units(unittest.TestCase):
    def test_quantities_are_read(self):
        for text, seconds in (("30 s", 30), ("1.5 min", 90), ("200ms", 0.2), (" 2 h ", 7200)):
            self.assertEqual(parse_duration(text), seconds)
        for text, size in (("12 GiB", 12 * 2**30), ("500 MB", 500_000_000), ("7 B", 7)):
            self.assertEqual(parse_bytes(text), size)

    def test_a_quantity_without_its_unit_is_refused_with_what_would_be_right(self):
        for text in ("30", "", "s", "3 parsec", "-3 s", "1e3 s", "nan s", "3 GiB"):
            with self.subTest(text=text), self.assertRaisesRegex(ValueError, "a duration with its unit"):
                parse_duration(text)
        with self.assertRaisesRegex(ValueError, "a size with its unit"):
            parse_bytes("12 s")

    def test_durations_are_worded_for_reading(self):
        cases = {
            0.0000437: "43.7 us",
            0.0451: "45.1 ms",
            0.9999: "1.0 s",
            3.21: "3.2 s",
            61.0: "61 s",
            250: "4 min 10 s",
            7500: "2 h 05 min",
        }
        for seconds, words in cases.items():
            self.assertEqual(duration_words(seconds), words)
        self.assertEqual(range_words(40, 55), "40 to 55 s")
        self.assertEqual(range_words(50, 130), "50 s to 2 min 10 s")
        self.assertEqual(range_words(0, 0.0), "0 ms")

    def test_sizes_are_worded_for_reading(self):
        for size, words in ((911 * 1024, "911 KiB"), (40_000_000, "38.1 MiB"), (12, "12 B"), (12 * 2**30, "12.0 GiB")):
            self.assertEqual(bytes_words(size), words)

    def test_speed_is_a_factor_and_a_share_of_time_never_a_percentage_of_speed(self):
        self.assertEqual(speed_words(36 / 50), "1.39x as fast (28 % less time)")
        self.assertEqual(speed_words(50 / 36), "0.72x as fast (39 % more time)")
        self.assertEqual(speed_words(0.08), "12.5x as fast (92 % less time)")
        self.assertEqual(speed_words(1.001), "1.00x as fast (the same time)")

    def test_a_figure_has_the_digits_that_its_interval_supports(self):
        for value, low, high, decimals in ((165.4, 164.9, 166.1, 1), (165.4, 120, 210, 0), (0.93412, 0.933, 0.935, 3),
                                           (165.4, None, None, 0), (1.0, 1.0, 1.0, 3)):  # fmt: skip
            self.assertEqual(decimals_for(value, low, high), decimals, (value, low, high))


if __name__ == "__main__":
    unittest.main()
