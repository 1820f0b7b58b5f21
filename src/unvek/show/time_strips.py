"""The strips of a table's times: one column, one axis, drawn the same whichever result it stands in."""

from collections.abc import Sequence
from dataclasses import dataclass

from rich.text import Text

from unvek.show.figures import scale_for
from unvek.show.grid import StripColumn
from unvek.show.strip import Axis, strip


@dataclass(frozen=True, slots=True, kw_only=True)
class TimeStrip:
    """One row: a form, its time with the interval, and single runs; seconds, None where unknown."""

    form: str
    middle_s: float | None
    low_s: float | None = None
    high_s: float | None = None
    dots_s: Sequence[float] = ()


def time_strips(rows: Sequence[TimeStrip], reference_s: float | None = None, after: int = 1) -> StripColumn:
    """Return the column; its axis spans medians and runs, its labels are in the unit that the medians read best in."""
    scale = scale_for("s", (row.middle_s for row in rows))

    def draw(width: int) -> tuple[Text, list[Text]]:
        axis = Axis.over([time for row in rows for time in (row.middle_s, *row.dots_s) if time is not None], width)
        drawn = [strip(axis, r.form, r.middle_s, r.low_s, r.high_s, r.dots_s, reference_s) for r in rows]
        return axis.scale(scale.divisor), drawn

    return StripColumn(f"time, {scale.unit}", draw, after)
