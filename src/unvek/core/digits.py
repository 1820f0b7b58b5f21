"""How a column of figures is read: in one unit, with as many decimals throughout as its intervals mostly support.

A sentence that says a figure of a table takes it from here, so that it has the same digits in both.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass

from unvek.core.units import PLACES, by_thousand, decimals_for, is_currency, ratio_decimals

Figure = tuple[float | None, float | None, float | None]  # a value, and its interval's ends
LEAST_DIGITS = 2  # of a value that supports them
MOST_PLACES = 4  # of a ratio
LEAST_MONEY = 0.01  # that is read as it is; of less a thousand times as much is said


@dataclass(frozen=True, slots=True)
class Scale:
    """What a column's values are divided by to be read, the unit's name then, and the decimals that all have."""

    unit: str
    divisor: float
    decimals: int | None = None

    def words(self, value: float, low: float | None = None, high: float | None = None) -> str:
        """Word a value, with the digits that its interval supports where the column has none of its own."""
        d, decimals = self.divisor, self.decimals
        if decimals is None:
            decimals = decimals_for(value / d, None if low is None else low / d, None if high is None else high / d)
        rounded = round(value / d, decimals) or 0.0  # never "-0"
        if value and not rounded and decimals == PLACES:
            return f"{value / d:.1g}"  # a divergence of 3e-07 is not none at all
        return f"{rounded:.{decimals}f}"

    def with_unit(self, value: float) -> str:
        return f"{self.words(value)} {self.unit}".rstrip()


def scale_for(unit: str, values: Iterable[float | None]) -> Scale:
    """Return the unit in which a column of values reads best: one for all its rows."""
    largest = max((abs(value) for value in values if value is not None), default=0.0)
    match unit:
        case "s":
            return Scale("ms", 1e-3) if largest < 1 else Scale("s", 1.0)
        case "B":
            return next(
                Scale(name, size)
                for name, size in (("GiB", 2.0**30), ("MiB", 2.0**20), ("KiB", 2.0**10), ("B", 1.0))
                if largest >= size or size == 1
            )
        case _ if is_currency(unit) and 0 < largest < LEAST_MONEY:
            return Scale(by_thousand(unit), 1e-3)
        case _:
            return Scale(unit, 1.0)


def column_scale(unit: str, figures: Iterable[Figure]) -> Scale:
    """Return the unit and the decimals of a column, from its values and their intervals."""
    known = [(value, low, high) for value, low, high in figures if value is not None]
    scale = scale_for(unit, (value for value, _, _ in known))
    d = scale.divisor
    wanted = [
        (abs(value) / d, decimals_for(value / d, None if low is None else low / d, None if high is None else high / d))
        for value, low, high in known
    ]
    return Scale(scale.unit, scale.divisor, _common(wanted))


def ratio_column_decimals(ratios: Iterable[Figure]) -> int:
    """Return the decimals of a column of ratios, from these and their intervals: two at least.

    And so many that an interval which leaves 1 out is not read as one that begins or ends there.
    """
    ratios = list(ratios)
    wanted = [
        (value, decimals_for(value, None, None) if low is None or high is None else ratio_decimals(low, high))
        for value, low, high in ratios
        if value is not None
    ]
    ends = [end for _, low, high in ratios if low is not None and high is not None for end in (low, high)]
    apart = max((places for end in ends if (places := _places_from_1(end)) <= MOST_PLACES), default=0)
    return max(LEAST_DIGITS, _common(wanted) or 0, apart)


def _places_from_1(end: float) -> int:
    """How many decimals it takes to tell a number from 1."""
    return 0 if end == 1 else next(
        (places for places in range(LEAST_DIGITS, MOST_PLACES + 1) if round(end, places) != 1), MOST_PLACES + 1
    )  # fmt: skip


def _common(wanted: list[tuple[float, int]]) -> int | None:
    """Return the decimals that half of the values support, and as many more as the smallest need to be read at all."""
    if not wanted:
        return None
    middle = sorted(decimals for _, decimals in wanted)[(len(wanted) - 1) // 2]
    needed = [min(decimals, LEAST_DIGITS - 1 - math.floor(math.log10(size))) for size, decimals in wanted if size > 0]
    return max(middle, *needed, 0)
