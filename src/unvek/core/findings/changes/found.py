"""What has changed, as plain values."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar

from unvek.core.findings.comparison.found import RatioFound

SESSIONS, LAUNCHES, TASKS = "sessions", "launches", "tasks"


@dataclass(frozen=True, slots=True, kw_only=True)
class ChangeFound:
    """One measure of one variant, before and after; ratio is after over before.

    answer: faster, slower, better, worse, same or unclear; None where there is no interval. is_worse: whether it is
    shown to be worse, and by more than the margin.
    """

    unit: str
    before: float | None
    after: float | None
    ratio: RatioFound | None
    answer: str | None
    is_worse: bool
    margin: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ChangedRow:
    """One variant: its measures, its failures of so many runs, and what of it is made otherwise now."""

    variant: str
    form: str
    measures: Mapping[str, ChangeFound]
    failures_before: tuple[int, int]
    failures_after: tuple[int, int]
    fails_more: bool
    made_otherwise: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Changes:
    """The variants that are on both sides. over: what intervals of times are over, sessions or launches.

    moved_alike: by how much all variants' times moved together, if they did: then it may be the machine.
    """

    kind: ClassVar[str] = "changes"
    title: str
    before: str
    after: str
    rigs: tuple[Mapping[str, Any], Mapping[str, Any]]
    same_rig: bool
    quality: str | None
    over: str
    rows: tuple[ChangedRow, ...]
    moved_alike: RatioFound | None
    notes: tuple[str, ...]

    @property
    def is_worse(self) -> bool:
        """Whether anything got worse by more than its margin."""
        return any(row.fails_more or any(one.is_worse for one in row.measures.values()) for row in self.rows)
