"""Which runs a list is to hold, and what comes of it: the database picks them, so that a long logbook costs little."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import ColumnElement, select

from unvek.core.logbook import tables
from unvek.core.logbook.rows import KeptRun
from unvek.core.logbook.run_table import RunTable


@dataclass(frozen=True, slots=True, kw_only=True)
class WantedRuns:
    """None is any; since is a moment as runs have it; newest is how many of the latest that fit."""

    trials: bool = False
    variants: Sequence[str] | None = None
    tasks: Sequence[str] | None = None
    statuses: Sequence[str] | None = None
    sessions: Sequence[int] | None = None
    varied: Mapping[str, Any] = field(default_factory=dict)
    since: str | None = None
    newest: int | None = None

    def conditions(self) -> list[ColumnElement[bool]]:
        """Return what the database is to look for, but for what is varied."""
        runs, launches = tables.runs.c, tables.launches.c
        found: list[ColumnElement[bool]] = []
        for column, values in ((runs.variant, self.variants), (runs.task, self.tasks), (runs.status, self.statuses)):
            if values is not None:
                found.append(column.in_(values))
        if self.sessions is not None:
            found.append(runs.launch.in_(select(launches.number).where(launches.session.in_(self.sessions))))
        if self.since is not None:
            found.append(runs.started_at >= self.since)
        return found

    def lets(self, varied: Mapping[str, Any]) -> bool:
        return all(varied.get(name) == value for name, value in self.varied.items())


@dataclass(frozen=True, slots=True, kw_only=True)
class Listed:
    """How many runs there are in all, how many of them fit, and how many of these are listed; block by block."""

    every: int
    fitting: int
    count: int
    blocks: Callable[[], Iterator[RunTable[KeptRun]]]
