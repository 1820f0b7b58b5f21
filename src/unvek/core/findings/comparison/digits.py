"""With which unit and how many decimals each column of a comparison is read, and each sentence with it."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from unvek.core.digits import Figure, Scale, column_scale, ratio_column_decimals
from unvek.core.findings.comparison.found import ComparisonRow, RatioFound
from unvek.core.measures.catalogue import LOAD, TIME

AS_SPEED = (TIME, LOAD)  # of which ratios are said as how many times as fast


@dataclass(frozen=True, slots=True)
class Digits:
    """The unit and decimals of each measure and of the parts of a split, and the decimals of each measure's ratios."""

    scales: Mapping[str, Scale]
    ratios: Mapping[str, int]
    split: Scale


def digits_of(rows: Sequence[ComparisonRow]) -> Digits:
    names = rows[0].measures if rows else ()
    parts = [
        (part.value, part.low, part.high)
        for row in rows
        if row.split is not None
        for part in (row.split.fewer_steps_s, row.split.faster_steps_s, row.split.fixed_s)
    ]
    return Digits(
        scales={name: column_scale(rows[0].measures[name].unit, _typical(rows, name)) for name in names},
        ratios={name: ratio_column_decimals(_ratios(rows, name)) for name in names},
        split=column_scale("s", parts),
    )


def _typical(rows: Iterable[ComparisonRow], name: str) -> Iterable[Figure]:
    return ((m.typical, m.low, m.high) for row in rows if (m := row.measures[name]).typical is not None)


def _ratios(rows: Iterable[ComparisonRow], name: str) -> Iterable[Figure]:
    return (ratio_as_said(ratio, name) for row in rows if (ratio := row.measures[name].ratio) is not None)


def ratio_as_said(ratio: RatioFound, name: str) -> tuple[float, float | None, float | None]:
    """Return a ratio and the table's interval as they are said: of a time how many times as fast."""
    low, high = ratio.low_together, ratio.high_together
    if name not in AS_SPEED:
        return ratio.value, low, high
    ends = (None, None) if low is None or high is None else (1 / high, 1 / low)
    return 1 / ratio.value, *ends
