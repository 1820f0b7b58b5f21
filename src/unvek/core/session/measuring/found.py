"""What came of working measures out, as plain values."""

from dataclasses import dataclass
from typing import ClassVar


@dataclass(frozen=True, slots=True, kw_only=True)
class RunWithout:
    """A run of which a measure has no value, and why."""

    run: int
    why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class MeasureWorkedOut:
    """How much is known of a measure: of how many runs it has a value, and of which it has none."""

    name: str
    kind: str
    value_count: int
    without: tuple[RunWithout, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Measuring:
    """What came of working out: how many values were worked out now, how many were known before.

    waiting: how many have to wait, since runs are being made on this machine.
    """

    kind: ClassVar[str] = "measuring"
    title: str
    worked_out: int
    known: int
    waiting: int
    rows: tuple[MeasureWorkedOut, ...]
