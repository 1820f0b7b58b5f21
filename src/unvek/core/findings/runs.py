"""The runs themselves: those that a filter lets through in lines, or one whole."""

from collections.abc import Iterable, Mapping, Sequence, Set
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, timedelta
from fnmatch import fnmatchcase
from hashlib import file_digest
from math import isfinite
from typing import Any, ClassVar, overload

from unvek.core.errors import InputError
from unvek.core.logbook.listing import WantedRuns
from unvek.core.logbook.measure_names import MeasureNames
from unvek.core.logbook.packing import unpack_floats
from unvek.core.logbook.plan_record import plain
from unvek.core.logbook.rows import KeptRun, OutputRow, RunDetails
from unvek.core.logbook.run_table import RunTable
from unvek.core.logbook.store import Logbook
from unvek.core.run.record import LaunchAbout
from unvek.core.units import parse_duration

AS_MADE, CHANGED, GONE = "as made", "changed", "gone"


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


@dataclass(frozen=True, slots=True, kw_only=True)
class NoteFound:
    """A remark on a run."""

    noted: str
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputFound:
    """A file that a run made; the path is from the logbook's folder. state: as made, changed or gone since."""

    path: str
    bytes: int
    digest: str
    state: str


@dataclass(frozen=True, slots=True, kw_only=True)
class MeasurementFound:
    """One value of a measure of the run, with all that tells it apart; `against` is a run's number."""

    name: str
    value: float | None
    why: str | None
    unit: str
    origin: str
    definition: str
    kind: str
    against: int | None
    shown: bool


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
    measurements: tuple[MeasurementFound, ...]
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
    rows = RunLines(listed.runs, logbook.noted_runs(), session_names(logbook))
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
    """The lines of a list of runs. A line is made where one is asked for: there may be 100,000."""

    def __init__(self, runs: RunTable[KeptRun], noted: Set[int], sessions: Mapping[int, str | None]):
        self._runs = runs
        self._noted = noted
        self._sessions = sessions

    def __len__(self) -> int:
        return len(self._runs)

    @overload
    def __getitem__(self, place: int) -> RunLine: ...
    @overload
    def __getitem__(self, place: slice) -> Sequence[RunLine]: ...
    def __getitem__(self, place: int | slice) -> RunLine | Sequence[RunLine]:
        if isinstance(place, slice):
            return tuple(self[at] for at in range(*place.indices(len(self))))
        run = self._runs[place]
        return RunLine(**_line(run, run.number in self._noted, self._sessions[run.launch]))

    def json_records(self) -> list[dict[str, Any]]:
        """Return the lines as JSON values, straight from the columns."""
        columns = {name: self._runs.column(_FIELD_OF.get(name, name)) for name in _LINE if name not in _WORKED_OUT}
        columns["cold"] = [place == 1 for place in self._runs.column("place")]
        columns["noted"] = [number in self._noted for number in columns["run"]]
        columns["session"] = [self._sessions[launch] for launch in columns["launch"]]
        for name in ("time_s", "step_time_s"):
            columns[name] = [value if value is None or isfinite(value) else None for value in columns[name]]
        ordered = [columns[name] for name in _LINE]
        return [dict(zip(_LINE, values, strict=True)) for values in zip(*ordered, strict=True)]


def _line(run: KeptRun, noted: bool, session: str | None) -> dict[str, Any]:
    known = {name: getattr(run, _FIELD_OF.get(name, name)) for name in _LINE if name not in _WORKED_OUT}
    return {**known, "cold": run.place == 1, "noted": noted, "session": session}


def whole_run(logbook: Logbook, number: int) -> RunWhole:
    """Return one run; InputError where there is none of this number."""
    run, details = logbook.run(number), logbook.details(number)
    launch, notes = logbook.launch(run.launch), logbook.notes(number)
    measurements = measurements_of(logbook, run)
    return RunWhole(
        **_line(run, bool(notes), session_names(logbook)[run.launch]),
        place=run.place,
        error=run.error,
        first_s=run.first_s,
        load_s=launch.load_s,
        step_times_s=unpack_floats(details.step_times_s),
        phases=details.phases_s,
        measures={one.name: one.value for one in measurements if one.shown},
        measurements=measurements,
        faults=details.faults,
        outputs=tuple(_output(logbook, output) for output in logbook.outputs(number)),
        forecast=_forecast(run),
        notes=tuple(NoteFound(noted=note.noted_at, text=note.text) for note in notes),
        machine={
            **details.machine,
            "memory_peak_bytes": run.memory_peak_bytes,
            "memory_device_bytes": run.memory_device_bytes,
            "cpu_s": run.cpu_s,
            "rig": {"fingerprint": launch.rig, **logbook.rigs()[launch.rig]},
        },
        provenance=_made_of(details, launch.about),
        log_tail=details.log_tail,
        text=details.text,
        piece_times_s=unpack_floats(details.piece_times_s),
        requests=tuple(plain(request) for request in details.requests),
    )


def _made_of(details: RunDetails, about: LaunchAbout) -> dict[str, Any]:
    made_of = details.provenance
    return {
        **{name: getattr(made_of, name) for name in ("runner", "command", "python", "script", "files")},
        **{name: getattr(about, name) for name in ("packages", "modules", "threads")},
        "total_includes_load": made_of.total_includes_load,
        "settings": details.settings,
        "limits": details.limits,
        "exit_code": details.exit_code,
    }


def measurements_of(logbook: Logbook, run: KeptRun) -> tuple[MeasurementFound, ...]:
    """Return what was measured of a run; likenesses to other seeds, which only make the drift scale, are left out.

    Not shown under its name is what was worked out by a definition that the newest plan does not give any more, or
    against another reference than the plan's where there is a value against that.
    """
    record, definitions = logbook.newest_plan(), logbook.definitions()
    plan = record.plan if record is not None else None
    names, found = MeasureNames(plan, definitions), []
    for measurement in logbook.measurements_of(run.number):
        against = logbook.run(measurement.against) if measurement.against else None
        if against is not None and against.seed != run.seed:
            continue
        row, shown = definitions[measurement.definition], names[measurement.definition]
        is_shown = shown is not None and shown.of_task(run.task)
        is_of_plan = against is None or plan is None or against.variant == plan.reference
        one = MeasurementFound(
            name=shown.measure.name if shown is not None and is_shown else row.name, value=measurement.value,
            why=measurement.why, unit=row.content.unit, origin=row.origin, definition=row.digest,
            kind=row.content.kind, against=measurement.against or None, shown=is_shown,
        )  # fmt: skip
        found.append((is_of_plan, one))
    known = {one.name for is_of_plan, one in found if is_of_plan and one.shown}
    return tuple(replace(one, shown=one.shown and (is_of_plan or one.name not in known)) for is_of_plan, one in found)


def _output(logbook: Logbook, output: OutputRow) -> OutputFound:
    try:
        with open(logbook.folder.path / output.path, "rb") as file:
            state = AS_MADE if file_digest(file, "sha256").hexdigest() == output.digest else CHANGED
    except OSError:
        state = GONE
    return OutputFound(path=output.path, bytes=output.bytes, digest=output.digest, state=state)


def _forecast(run: KeptRun) -> dict[str, Any] | None:
    if run.forecast_low_s is None:
        return None
    return {"low_s": run.forecast_low_s, "high_s": run.forecast_high_s, "basis": run.forecast_basis}
