"""The pieces that every result is drawn with: tones, strips, tables, and text that can do no harm."""

import csv
import io
import math
import random
import unicodedata
import unittest

import numpy as np
from rich.console import Console
from rich.text import Text

from unvek.core.digits import Scale, column_scale, ratio_column_decimals, scale_for
from unvek.core.exchange.files import harmless
from unvek.core.findings.as_json import finding_as_json
from unvek.core.plain_text import clean, clean_lines
from unvek.show.palette import DARK, FORM_COLOURS, FORM_MARKS, PAPER
from unvek.show.terminal.bars import step_bars
from unvek.show.terminal.console import PlainConsole
from unvek.show.terminal.figures import figure, ratio_figures
from unvek.show.terminal.grid import Column, StripColumn, markdown, print_grid
from unvek.show.terminal.strip import Axis, strip
from unvek.show.terminal.views import csv_pieces

# Machado, Oliveira and Fernandes (2009), "A Physiologically-based Model for Simulation of Color Vision Deficiency",
# severity 1.0: how a colour in linear RGB is seen.
SEEN = {
    "by all": np.eye(3),
    "protanopia": np.array([[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]]),
    "deuteranopia": np.array([[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]]),
    "tritanopia": np.array([[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900]]),
}  # fmt: skip


def linear(tone: str) -> np.ndarray:
    share = np.array([int(tone[place : place + 2], 16) for place in (1, 3, 5)]) / 255
    return np.where(share <= 0.04045, share / 12.92, ((share + 0.055) / 1.055) ** 2.4)


def contrast(one: str, other: str) -> float:
    """WCAG 2.1: (lighter + 0.05) / (darker + 0.05)."""
    darker, lighter = sorted(float(linear(tone) @ [0.2126, 0.7152, 0.0722]) for tone in (one, other))
    return (lighter + 0.05) / (darker + 0.05)


def lab(rgb: np.ndarray) -> np.ndarray:
    to_xyz = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])
    ratio = to_xyz @ np.clip(rgb, 0, 1) / [0.9505, 1, 1.089]
    f = np.where(ratio > 0.008856, np.cbrt(ratio), 7.787 * ratio + 16 / 116)
    return np.array([116 * f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])])


class Palette(unittest.TestCase):
    def test_every_form_has_a_shape_and_a_tone_of_its_own(self):
        self.assertEqual(len(set(FORM_MARKS.values())), 5)
        self.assertEqual(len(set(FORM_COLOURS.values())), 5)

    def test_the_tones_are_readable_on_dark_and_on_light(self):
        for form, tone in FORM_COLOURS.items():
            for ground in (DARK, PAPER, "#ffffff", "#000000"):
                self.assertGreater(contrast(tone, ground), 3, (form, ground))

    def test_the_tones_stay_apart_for_everyone(self):
        tones = list(FORM_COLOURS.values())
        for name, seen in SEEN.items():
            for place, tone in enumerate(tones):
                for other in tones[:place]:
                    distance = np.linalg.norm(lab(seen @ linear(tone)) - lab(seen @ linear(other)))
                    self.assertGreater(distance, 15, (name, tone, other))


class Strips(unittest.TestCase):
    def test_a_strip_shows_interval_median_dots_and_the_reference(self):
        axis = Axis(low=0.0, high=10.0, width=20, logarithmic=False)
        drawn = strip(axis, "quantized", 5.0, 4.0, 6.0, dots=[1.0], reference=9.0).plain
        self.assertEqual(drawn, "  ·     ━━■━━     │ ".ljust(20))

    def test_an_interval_beyond_the_axis_ends_in_an_arrow(self):
        axis = Axis(low=1.0, high=2.0, width=5, logarithmic=False)
        self.assertEqual(strip(axis, "full", 1.5, 0.1, 9.0).plain, "◂━●━▸")

    def test_the_axis_is_logarithmic_where_values_lie_far_apart(self):
        wide, narrow = Axis.over([0.01, 1.0], 40), Axis.over([1.0, 1.5], 40)
        self.assertEqual((wide.logarithmic, narrow.logarithmic), (True, False))
        self.assertIn("0.1", wide.scale().plain)
        self.assertLess(abs(wide.column(0.1) - 20), 2)
        odd = ([], [2.0], [float("nan"), 0.0], [5e-324], [5e-324, 0.0], [5e-324, 1.0], [-5e-324, 1e15], [1e300])
        for axis in (wide, narrow, *(Axis.over(values, 10) for values in odd)):
            self.assertEqual(len(axis.scale().plain), axis.width)
            self.assertLess(axis.column(5e-324), axis.width)

    def test_a_slow_step_is_seen(self):
        self.assertEqual(step_bars([1.0, 1.0, 8.0], 10), "▂▂█")
        self.assertEqual(step_bars([1.0] * 99 + [5.0], 10)[-1], "█")
        self.assertEqual((step_bars([], 10), step_bars([0.0], 5)), ("", "▁"))


class Tables(unittest.TestCase):
    def columns(self) -> list[Column]:
        names, numbers, notes = (
            Column("variant", numeric=False, keep=9),
            Column("time", "ms", keep=8),
            Column("x|y", keep=1),
        )
        for name, number in (("a", "9.31"), ("b", "12"), ("c", "–")):
            names.add(name)
            numbers.add(number)
            notes.add("`|`" * 8)
        return [names, numbers, notes]

    def printed(self, width: int, **options) -> list[str]:
        file = io.StringIO()
        print_grid(Console(file=file, width=width), self.columns(), **options)
        return file.getvalue().splitlines()

    def test_numbers_stand_on_their_points_under_one_rule(self):
        lines = [line[:14] for line in self.printed(80)]
        self.assertEqual(lines[0].split(), ["variant", "time"])
        self.assertEqual(set(lines[2]), {"─"})
        self.assertEqual([line.rstrip() for line in lines[3:]], ["a         9.31", "b        12", "c            –"])

    def test_what_has_no_room_is_left_out_and_said(self):
        lines = self.printed(30)
        self.assertTrue(all(len(line) <= 30 for line in lines[:-2]))
        self.assertIn("Left out for want of room: x|y.", " ".join(" ".join(lines).split()))

    def test_the_strip_takes_the_room_that_is_left(self):
        rows = [Text("s"), Text("s"), Text("s")]
        widths = []

        def draw(width: int):
            widths.append(width)
            return Text("0 1"), [Text("s" * width) for _ in rows]

        lines = self.printed(90, strip=StripColumn("time", draw))
        self.assertTrue(all(len(line) <= 90 for line in lines), lines)
        self.assertEqual(len(widths), 1)

    def test_what_stands_behind_a_short_strip_stands_under_its_head(self):
        def draw(width: int):
            return Text("0"), [Text("s"), Text("s" * width), Text()]

        lines = self.printed(90, strip=StripColumn("time", draw))
        self.assertEqual(len({line.index("`|`") for line in lines[3:]}), 1, lines)

    def test_markdown_cells_cannot_break_the_table(self):
        for line in markdown(self.columns()).splitlines()[2:]:
            self.assertEqual(line.replace("\\|", "").count("|"), 4)


class Figures(unittest.TestCase):
    def test_a_column_has_one_unit(self):
        self.assertEqual(scale_for("s", [0.2, 0.03, None]).unit, "ms")
        self.assertEqual(scale_for("s", [2.0, 0.03]).unit, "s")
        self.assertEqual(scale_for("B", [3 * 2**20, 5]).unit, "MiB")
        self.assertEqual(figure(0.16543, 0.1649, 0.1661, Scale("ms", 0.001)), "165.4")
        self.assertEqual(figure(None, None, None, Scale("", 1)), "–")
        self.assertEqual(figure(3.2e-7, 2e-7, 4e-7, Scale("", 1)), "3e-07")
        self.assertEqual(figure(0.0, 0.0, 0.0, Scale("", 1)), "0")

    def test_a_column_has_the_same_decimals_throughout_as_many_as_most_of_its_intervals_support(self):
        scale = column_scale("s", [(0.209, 0.180, 0.240), (0.0543, 0.05, 0.06), (0.02693, 0.0265, 0.0273)])
        self.assertEqual([scale.words(value) for value in (0.209, 0.0543, 0.02693)], ["209", "54", "27"])
        self.assertEqual(scale.with_unit(0.209), "209 ms")
        wide = column_scale("s", [(20.0, 15.0, 25.0), (22.0, 15.0, 30.0), (0.0312, 0.0311, 0.0313)])
        self.assertEqual(wide.words(0.0312), "0.031", "the smallest can be read, too")
        alike = column_scale("", [(1.0, 1.0, 1.0), (0.8718, 0.8712, 0.8724), (0.7047, 0.701, 0.709)])
        self.assertEqual([alike.words(value) for value in (1.0, 0.8718, 0.7047)], ["1.000", "0.872", "0.705"])

    def test_ratios_of_a_column_have_the_same_decimals_two_at_least(self):
        self.assertEqual(ratio_column_decimals([(3.9, 3.3, 4.5), (0.71, 0.6, 0.8)]), 2)
        self.assertEqual(ratio_column_decimals([(1.0012, 1.00115, 1.00125)] * 3), 3)
        self.assertEqual(ratio_column_decimals([(0.0421, None, None)]), 4)
        self.assertEqual(ratio_column_decimals([(1.17, 1.003, 1.37), (7.3, 6.6, 8.0)]), 3, "faster is not from 1.00 on")
        self.assertEqual(ratio_column_decimals([(1.0, 0.97, 1.0)]), 2)
        self.assertEqual(ratio_figures(8.0, 7.69, 8.33, 2), ("8.00x", "7.69 to 8.33"))
        self.assertEqual(ratio_figures(0.5, None, None, 2), ("0.50x", ""))


class Harmless(unittest.TestCase):
    HOSTILE = "a\x1b[31mred\x1b]0;title\x07\r\nover\x9b2J\u202egnp.exe\x00\ud800"

    def test_text_from_outside_can_do_nothing_to_the_terminal(self):
        shown = clean(self.HOSTILE)
        self.assertFalse(any(ord(c) < 32 or 127 <= ord(c) < 160 for c in shown))
        self.assertNotIn("\u202e", shown)
        shown.encode("utf-8")
        self.assertEqual(clean("täglich ✓ 花"), "täglich ✓ 花")
        self.assertEqual(clean_lines("one\ttwo\nthree\x1b"), ["one two", "three�"])

    def test_nothing_gets_past_a_console_where_somebody_forgot_to_make_it_plain(self):
        file = io.StringIO()
        out = PlainConsole(file=file, width=40, highlight=False, markup=False)
        column = Column("head", numeric=False)
        column.add(Text(self.HOSTILE))
        out.print(self.HOSTILE[:-1], Text(self.HOSTILE[:-1], style="bold"))
        print_grid(out, [column])
        shown = file.getvalue()
        self.assertIn("gnp.exe", shown)
        self.assertEqual({c for c in shown if unicodedata.category(c) in ("Cc", "Cf", "Cs")}, {"\n"})
        self.assertNotIn("\x1b", markdown([column]))

    def test_a_text_that_is_a_formula_is_none_in_csv(self):
        records = [{"name": "=1+1", "n": -3, "none": None, "yes": True}, {"name": 'say "hi", all', "n": 0.5}]
        lines = "".join(csv_pieces(records)).split("\r\n")
        self.assertEqual(lines, ["name,n,none,yes", "'=1+1,-3,,true", '"say ""hi"", all",0.5,,', ""])

    def test_csv_gives_back_what_it_was_given_whatever_that_is(self):
        rng, signs = random.Random(3), "ab ,\"'=+-@;\n\t\x1b\u202eé"
        for count in range(60):
            texts = ["".join(rng.choices(signs, k=rng.randrange(5))) for _ in range(count)]
            texts += rng.choices(["plain", "also-plain", ""], k=3) if count % 2 else []
            rows = [{"text": text, "number": rng.choice([1, 2.5, -3e-7, None]), "sure": count > 5} for text in texts]
            header, *lines = csv.reader(io.StringIO("".join(csv_pieces(rows)), newline=""))
            self.assertEqual(lines, [
                [harmless(clean(row["text"])), str(row["number"] or ""), str(row["sure"]).lower()] for row in rows
            ])  # fmt: skip
            self.assertEqual(header, ["text", "number", "sure"] if rows else [])
        for power in range(-320, 309):
            numbers = [rng.choice((-1, 1)) * rng.uniform(1, 10) * 10.0**power for _ in range(20)]
            numbers += [round(number, rng.randrange(9)) for number in numbers] + [
                10.0**power,
                float(10 ** max(0, power)),
            ]
            _, *lines = "".join(csv_pieces([{"number": number, "one": 1} for number in numbers])).splitlines()
            self.assertEqual(lines, [f"{number},1" for number in numbers])
        shown = "".join(csv_pieces([{"number": number} for number in (0.0, -0.0, math.inf, math.nan)]))
        self.assertEqual(shown.split(), ["number", "0.0", "-0.0", "inf", "nan"])

    def test_json_knows_no_infinity(self):
        class Odd:
            kind = "odd"

        from dataclasses import dataclass

        @dataclass
        class Finding(Odd):
            value: float
            more: tuple[float, ...]

        self.assertEqual(finding_as_json(Finding(float("nan"), (1.0, float("inf")))),
                         {"unvek": 1, "kind": "odd", "value": None, "more": [1.0, None]})  # fmt: skip


if __name__ == "__main__":
    unittest.main()
