"""The strips of a table: one measure in one column, on one axis, drawn the same whichever result it stands in."""

from collections.abc import Sequence
from dataclasses import dataclass

from rich.text import Text

from unvek.core.digits import scale_for
from unvek.show.terminal.grid import StripColumn
from unvek.show.terminal.strip import Axis, strip


@dataclass(frozen=True, slots=True, kw_only=True)
class MeasureStrip:
    """One row: a form, where its measure lies with the interval, single runs, and where the reference's line stands."""

    form: str
    middle: float | None
    low: float | None = None
    high: float | None = None
    dots: Sequence[float] = ()
    reference: float | None = None


def measure_strips(
    head: str, unit: str, rows: Sequence[MeasureStrip], after: int = 1, span: tuple[float, float] | None = None
) -> StripColumn:
    """Return the column; its axis spans medians and runs, its labels are in the unit that the medians read best in.

    span: what the axis spans instead, of a measure that lies between two values.
    """
    scale = scale_for(unit, (row.middle for row in rows))

    def scaled(value: float | None) -> float | None:
        return None if value is None else value / scale.divisor

    def draw(width: int) -> tuple[Text, list[Text]]:
        dots = [[value / scale.divisor for value in row.dots] for row in rows]
        middles = [scaled(row.middle) for row in rows]
        medians = [middle for middle in middles if middle is not None]
        spanned = [*medians, *(value for runs in dots for value in runs)]
        axis = Axis.over(spanned, width) if span is None else Axis(*span, width, logarithmic=False)
        drawn = [
            strip(axis, row.form, middle, scaled(row.low), scaled(row.high), runs, scaled(row.reference))
            for row, middle, runs in zip(rows, middles, dots, strict=True)
        ]
        return axis.scale(), drawn

    return StripColumn(f"{head}, {scale.unit}" if scale.unit else head, draw, after)


def time_strips(rows: Sequence[MeasureStrip], after: int = 1) -> StripColumn:
    """Return the column of the whole times, in seconds."""
    return measure_strips("time", "s", rows, after)
