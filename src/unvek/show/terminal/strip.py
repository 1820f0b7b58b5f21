"""The interval strip: every row of a result on one common axis, for the eye; the figures are for the record.

The reference stands as an upright line through all rows, the median as the form's mark, the interval as a bar,
single runs as faint dots. The axis spans medians and runs: an interval that is wider ends in an arrow.
"""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from rich.text import Text

from unvek.show.palette import FORM_COLOURS, FORM_MARKS, INTERVAL_BAR, REFERENCE_LINE, RUN_DOT

BEYOND_LEFT, BEYOND_RIGHT = "◂", "▸"  # an interval that goes on where the axis ends
LOG_FROM = 3.0  # an axis whose ends are further apart than this factor is logarithmic
NOTHING = 1e-200  # what no two numbers of any measure differ by


@dataclass(frozen=True, slots=True)
class Axis:
    """A range of values laid over a number of columns."""

    low: float
    high: float
    width: int
    logarithmic: bool

    @classmethod
    def over(cls, values: Iterable[float], width: int) -> "Axis":
        """Return an axis that holds all the values with a little room at its ends."""
        known = [value for value in values if math.isfinite(value)]
        low, high = (min(known), max(known)) if known else (0.0, 1.0)
        logarithmic = low > NOTHING and high / low > LOG_FROM
        if high - low < NOTHING:
            room = 0.1 * (abs(low) if abs(low) > NOTHING else 1.0)
            low, high = low - room, high + room
        if logarithmic:
            room = (high / low) ** 0.02
            return cls(low / room, high * room, width, True)
        room = 0.02 * (high - low)
        return cls(low - room, high + room, width, False)

    def shows(self, value: float) -> bool:
        return self.low <= value <= self.high

    def column(self, value: float) -> int:
        if self.logarithmic:
            share = math.log(max(value, 1e-300) / self.low) / math.log(self.high / self.low)
        else:
            share = (value - self.low) / (self.high - self.low)
        return min(self.width - 1, int(min(1.0, max(0.0, share)) * self.width))

    def ticks(self) -> list[float]:
        """Return round values for the axis: 1, 2 and 5 of each decade, thinned to what has room."""
        if self.logarithmic:
            first, last = math.floor(math.log10(self.low)), math.ceil(math.log10(self.high))
            found = [m * 10.0**d for d in range(first, last + 1) for m in (1, 2, 5)]
        else:
            raw = (self.high - self.low) / 4
            base = 10.0 ** math.floor(math.log10(raw))
            step = next(m * base for m in (1, 2, 5, 10) if m * base >= raw)
            found = [n * step for n in range(math.ceil(self.low / step), math.floor(self.high / step) + 1)]
        return [value for value in found if self.low <= value <= self.high]

    def scale(self, unit: float = 1.0) -> Text:
        """Return the axis's labels, each standing over its place; values are shown in the unit given."""
        line = [" "] * self.width
        free_from = 0
        for value in self.ticks():
            label = f"{value / unit:.6g}"
            start = min(self.width - len(label), max(0, self.column(value) - len(label) // 2))
            if start >= free_from:
                line[start : start + len(label)] = label
                free_from = start + len(label) + 2
        return Text("".join(line), style="dim")


def strip(
    axis: Axis,
    form: str,
    middle: float | None,
    low: float | None,
    high: float | None,
    dots: Sequence[float] = (),
    reference: float | None = None,
) -> Text:
    """Draw one row on the axis."""
    cells = [(" ", "")] * axis.width
    colour = FORM_COLOURS[form]
    for value in dots:
        cells[axis.column(value)] = (RUN_DOT, colour)
    if reference is not None:
        cells[axis.column(reference)] = (REFERENCE_LINE, "dim")
    if low is not None and high is not None:
        for column in range(axis.column(low), axis.column(high) + 1):
            cells[column] = (INTERVAL_BAR, colour)
        if not axis.shows(low):
            cells[0] = (BEYOND_LEFT, colour)
        if not axis.shows(high):
            cells[-1] = (BEYOND_RIGHT, colour)
    if middle is not None:
        cells[axis.column(middle)] = (FORM_MARKS[form], f"bold {colour}")
    return Text.assemble(*cells)
