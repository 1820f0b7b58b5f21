"""The runs themselves: those that a filter lets through in lines, or one whole."""

from collections.abc import Iterable, Mapping, Sequence, Set
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from fnmatch import fnmatchcase
from math import isfinite
from typing import Any, ClassVar, overload

from unvek.core.errors import InputError
from unvek.core.logbook.listing import WantedRuns
from unvek.core.logbook.run_table import RunTable
from unvek.core.logbook.store import Logbook, Row
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


@dataclass(frozen=True, slots=True, kw_only=True)
class RunFilter:
    """Which runs are wanted. Names are patterns (`*`, `?`, `[...]`); no status, value, moment or number means any."""

    variant: str = "*"
    task: str = "*"
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
            varied=self.varied,
            since=self.since.astimezone(UTC).isoformat(timespec="milliseconds") if self.since is not None else None,
            newest=self.newest,
        )


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


@dataclass(frozen=True, slots=True, kw_only=True)
class NoteFound:
    """A remark on a run."""

    noted: str
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputFound:
    """A file that a run made; the path is from the logbook's folder."""

    path: str
    bytes: int
    digest: str


@dataclass(frozen=True, slots=True, kw_only=True)
class RunWhole(RunLine):
    """Everything that is known of one run."""

    kind: ClassVar[str] = "run"
    place: int
    error: str | None
    first_s: float | None
    load_s: float | None
    step_times_s: tuple[float, ...]
    phases: Mapping[str, float]
    measures: Mapping[str, float | None]
    faults: tuple[tuple[str, str], ...]
    outputs: tuple[OutputFound, ...]
    forecast: Mapping[str, Any] | None
    notes: tuple[NoteFound, ...]
    machine: Mapping[str, Any]
    provenance: Mapping[str, Any]
    log_tail: str
    text: str
    piece_times_s: tuple[float, ...]
    requests: tuple[Mapping[str, Any], ...]


def list_runs(logbook: Logbook, wanted: RunFilter | None = None) -> RunList:
    listed = logbook.listed((wanted or RunFilter()).wanted(logbook))
    rows = RunLines(listed.runs, logbook.noted_runs())
    return RunList(rows=rows, left_out=listed.every - listed.fitting, earlier=listed.fitting - len(rows))


class RunLines(Sequence[RunLine]):
    """The lines of a list of runs. A line is made where one is asked for: there may be 100,000."""

    def __init__(self, runs: RunTable, noted: Set[int]):
        self._runs = runs
        self._noted = noted

    def __len__(self) -> int:
        return len(self._runs)

    @overload
    def __getitem__(self, place: int) -> RunLine: ...
    @overload
    def __getitem__(self, place: slice) -> Sequence[RunLine]: ...
    def __getitem__(self, place: int | slice) -> RunLine | Sequence[RunLine]:
        if isinstance(place, slice):
            return tuple(self[at] for at in range(*place.indices(len(self))))
        row = self._runs[place]
        return RunLine(**_line(row, row["number"] in self._noted))

    def json_records(self) -> list[dict[str, Any]]:
        """Return the lines as JSON values, straight from the columns."""
        columns = {
            name: self._runs.column(_COLUMN_OF.get(name, name)) for name in _LINE if name not in ("cold", "noted")
        }
        columns["cold"] = [place == 1 for place in self._runs.column("place")]
        columns["noted"] = [number in self._noted for number in columns["run"]]
        for name in ("time_s", "step_time_s"):
            columns[name] = [value if value is None or isfinite(value) else None for value in columns[name]]
        ordered = [columns[name] for name in _LINE]
        return [dict(zip(_LINE, values, strict=True)) for values in zip(*ordered, strict=True)]


_LINE = RunLine.__slots__
_COLUMN_OF = {"run": "number", "started": "started_at"}


def whole_run(logbook: Logbook, number: int) -> RunWhole:
    """Return one run; InputError where there is none of this number."""
    row = logbook.run(number)
    launch = logbook.launch(row["launch"])
    notes = logbook.notes(number)
    return RunWhole(
        **_line(row, bool(notes)),
        place=row["place"],
        error=row["error"],
        first_s=row["first_s"],
        load_s=launch["load_s"],
        step_times_s=row["step_times_s"],
        phases=row["phases_s"],
        measures=_measures(logbook, row),
        faults=tuple((kind, note) for kind, note in row["faults"]),
        outputs=tuple(
            OutputFound(path=output["path"], bytes=output["bytes"], digest=output["digest"])
            for output in logbook.outputs(number)
        ),
        forecast=_forecast(row),
        notes=tuple(NoteFound(noted=note["noted_at"], text=note["text"]) for note in notes),
        machine={
            **row["machine"],
            "memory_peak_bytes": row["memory_peak_bytes"],
            "memory_device_bytes": row["memory_device_bytes"],
            "cpu_s": row["cpu_s"],
            "rig": {"fingerprint": launch["rig"], **launch["facts"]},
        },
        provenance={
            **{name: row["provenance"].get(name) for name in ("runner", "command", "python", "script", "files")},
            **{name: launch["about"].get(name) for name in ("packages", "modules", "threads")},
            "total_includes_load": row["provenance"].get("total_includes_load"),
            "settings": row["settings"],
            "limits": row["limits"],
            "exit_code": row["exit_code"],
        },
        log_tail=row["log_tail"],
        text=row["text"],
        piece_times_s=row["piece_times_s"],
        requests=tuple(row["requests"]),
    )


def _measures(logbook: Logbook, row: Row) -> dict[str, float | None]:
    """The run's measures; likenesses to other seeds, which only make the drift scale, are left out."""
    return {
        m.name: m.value
        for m in logbook.measured(row["number"])
        if m.against == 0 or logbook.run(m.against)["seed"] == row["seed"]
    }


def _forecast(row: Row) -> dict[str, Any] | None:
    if row["forecast_low_s"] is None:
        return None
    return {"low_s": row["forecast_low_s"], "high_s": row["forecast_high_s"], "basis": row["forecast_basis"]}


def _line(row: Row, noted: bool) -> dict[str, Any]:
    return {
        "run": row["number"],
        "cold": row["place"] == 1,
        "noted": noted,
        "started": row["started_at"],
        **{
            name: row[name]
            for name in (
                "variant", "form", "task", "seed", "round", "repeat", "warm_up", "varied", "status", "voided", "time_s",
                "steps", "step_time_s", "tokens", "source", "launch",
            )
        },
    }  # fmt: skip
