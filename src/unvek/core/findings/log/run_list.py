"""Runs in a list: those that a filter lets through, a line each."""

from collections.abc import Iterable, Iterator, Mapping, Sequence, Set
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from fnmatch import fnmatchcase
from functools import cached_property
from itertools import chain
from math import isfinite
from typing import Any, ClassVar, overload

from unvek.core.errors import InputError
from unvek.core.logbook.listing import Listed, WantedRuns
from unvek.core.logbook.rows import KeptRun
from unvek.core.logbook.run_table import RunTable
from unvek.core.logbook.store import Logbook
from unvek.core.units import parse_duration


@dataclass(frozen=True, slots=True, kw_only=True)
class RunLine:
    """One run in a list."""

    run: int
    variant: str
    form: str
    task: str
    seed: int
    round: int
    repeat: int
    warm_up: bool
    varied: Mapping[str, Any]
    status: str
    voided: str | None
    started: str
    time_s: float | None
    steps: int
    step_time_s: float | None
    tokens: int
    source: str
    cold: bool
    launch: int
    noted: bool
    id: str
    session: str | None
    others_share: float | None
    stolen_share: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class RunFilter:
    """Which runs are wanted. Names are patterns (`*`, `?`, `[...]`); no status, value, moment or number means any."""

    variant: str = "*"
    task: str = "*"
    session: str = "*"
    statuses: tuple[str, ...] = ()
    varied: Mapping[str, Any] = field(default_factory=dict)
    since: datetime | None = None
    trials: bool = False
    newest: int | None = None

    def wanted(self, logbook: Logbook) -> WantedRuns:
        """Return which runs of a logbook this is: patterns as the names there that fit them."""
        return WantedRuns(
            trials=self.trials,
            variants=_fitting(self.variant, logbook.names_in("variant")) if self.variant != "*" else None,
            tasks=_fitting(self.task, logbook.names_in("task")) if self.task != "*" else None,
            statuses=self.statuses or None,
            sessions=self._sessions(logbook),
            varied=self.varied,
            since=self.since.astimezone(UTC).isoformat(timespec="milliseconds") if self.since is not None else None,
            newest=self.newest,
        )

    def _sessions(self, logbook: Logbook) -> tuple[int, ...] | None:
        if self.session == "*":
            return None
        return tuple(one.number for one in logbook.sessions() if fnmatchcase(one.name, self.session))


def _fitting(pattern: str, names: Iterable[str]) -> tuple[str, ...]:
    return tuple(name for name in names if fnmatchcase(name, pattern))


def parse_since(text: str, now: datetime) -> datetime:
    """Return the moment that a text means: a time ago ("2 h", "30 min"), or a date and time in ISO 8601, UTC.

    Raises InputError for any other text.
    """
    try:
        return now - timedelta(seconds=parse_duration(text))
    except (ValueError, OverflowError):
        pass
    try:
        moment = datetime.fromisoformat(text)
    except ValueError as error:
        raise InputError(f"since {text!r} is no moment; give a time ago such as '2 h', or a date such as "
                         "2026-11-23 or 2026-11-23T14:30") from error  # fmt: skip
    return moment if moment.tzinfo is not None else moment.replace(tzinfo=UTC)


@dataclass(frozen=True, slots=True, kw_only=True)
class RunList:
    """Runs of a logbook, in the order in which they were made.

    The filter has left out so many others, and of those that fit so many earlier ones are not here.
    """

    kind: ClassVar[str] = "runs"
    rows: Sequence[RunLine]
    left_out: int = 0
    earlier: int = 0


def list_runs(logbook: Logbook, wanted: RunFilter | None = None) -> RunList:
    listed = logbook.listed((wanted or RunFilter()).wanted(logbook))
    rows = RunLines(listed, logbook.noted_runs(), session_names(logbook))
    return RunList(rows=rows, left_out=listed.every - listed.fitting, earlier=listed.fitting - len(rows))


def session_names(logbook: Logbook) -> Mapping[int, str | None]:
    """Return the name of the session that each launch was part of; None for one that was made before there were any."""
    names = {session.number: session.name for session in logbook.sessions()}
    return {
        launch: names[session] if session is not None else None
        for launch, session in logbook.sessions_of_launches().items()
    }


# What a line calls the fields of a run, where that is another name; and what it works out of them.
_FIELD_OF = {"run": "number", "started": "started_at"}
_WORKED_OUT = ("cold", "noted", "session")
_LINE = RunLine.__slots__


class RunLines(Sequence[RunLine]):
    """The lines of a list of runs: read where one is asked for, or by column, block by block: of a million."""

    def __init__(self, listed: Listed, noted: Set[int], sessions: Mapping[int, str | None]):
        self._listed = listed
        self._noted = noted
        self._sessions = sessions

    def __len__(self) -> int:
        return self._listed.count

    @overload
    def __getitem__(self, place: int) -> RunLine: ...
    @overload
    def __getitem__(self, place: slice) -> Sequence[RunLine]: ...
    def __getitem__(self, place: int | slice) -> RunLine | Sequence[RunLine]:
        return self._lines[place]

    @cached_property
    def _lines(self) -> tuple[RunLine, ...]:
        every = chain.from_iterable(self._listed.blocks())
        return tuple(
            RunLine(**fields_of_line(run, run.number in self._noted, self._sessions[run.launch])) for run in every
        )

    def json_blocks(self) -> Iterator[dict[str, Sequence[Any]]]:
        """Yield what the lines tell as JSON values, by column, so many lines at a time."""
        return map(self._json_columns, self._listed.blocks())

    def _json_columns(self, runs: RunTable[KeptRun]) -> dict[str, Sequence[Any]]:
        columns = {name: runs.column(_FIELD_OF.get(name, name)) for name in _LINE if name not in _WORKED_OUT}
        columns["cold"] = [place == 1 for place in runs.column("place")]
        columns["noted"] = [number in self._noted for number in columns["run"]]
        columns["session"] = [self._sessions[launch] for launch in columns["launch"]]
        for name in ("time_s", "step_time_s", "others_share", "stolen_share"):
            columns[name] = [value if value is None or isfinite(value) else None for value in columns[name]]
        return {name: columns[name] for name in _LINE}


def fields_of_line(run: KeptRun, noted: bool, session: str | None) -> dict[str, Any]:
    """Return what a line tells of a run."""
    known = {name: getattr(run, _FIELD_OF.get(name, name)) for name in _LINE if name not in _WORKED_OUT}
    return {**known, "cold": run.place == 1, "noted": noted, "session": session}
