"""The strips of a table as a page draws them: where the bar, the mark, the runs and the reference's line stand."""

from dataclasses import dataclass

from unvek.core.digits import scale_for
from unvek.core.findings.comparison.found import Comparison
from unvek.show.terminal.heads import head_of
from unvek.show.terminal.strip import Axis

WIDTH = 240
MOST_DOTS = 60


@dataclass(frozen=True, slots=True, kw_only=True)
class StripCell:
    """Places along WIDTH; None is unknown. goes_on: to which sides the interval reaches beyond the axis."""

    middle: int | None
    low: int | None
    high: int | None
    goes_on: tuple[bool, bool]
    dots: tuple[int, ...]
    reference: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Strips:
    head: str
    cells: tuple[StripCell, ...]


def strip_cells(found: Comparison, name: str) -> Strips:
    """Return the strips of a measure, on one axis."""
    measures = [row.measures[name] for row in found.rows]
    scale = scale_for(measures[0].unit, (one.typical for one in measures))
    axis = Axis.over([value for one in measures for value in ((one.typical,) if one.typical is not None else ())
                      + one.dots], WIDTH)  # fmt: skip
    usual = {row.varied_words: row.measures[name].typical for row in found.rows if row.variant == found.reference}

    def at(value: float | None) -> int | None:
        return None if value is None else axis.column(value)

    cells = tuple(
        StripCell(
            middle=at(one.typical), low=at(one.low), high=at(one.high), reference=at(usual.get(row.varied_words)),
            goes_on=(one.low is not None and one.low < axis.low, one.high is not None and one.high > axis.high),
            dots=tuple(axis.column(value) for value in one.dots[:: max(1, -(-len(one.dots) // MOST_DOTS))]),
        )
        for row, one in zip(found.rows, measures, strict=True)
    )  # fmt: skip
    low, high = (f"{end / scale.divisor:.3g}" for end in (axis.low, axis.high))
    way = ", logarithmic" if axis.logarithmic else ""
    return Strips(head=f"{head_of(name)}, {low} to {high} {scale.unit}{way}", cells=cells)
