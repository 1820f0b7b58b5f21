"""The rows of the logbook's tables, as frozen values: what a table holds is said here, once.

tables.py makes the columns of these fields, and reading.py makes these values of what the database returns. A field's
metadata say what its type does not: KEY, a REFERENCE to another table, TEXT where it may be long, and of a run's fields
which built-in measure stands behind them (`measure`) and how an imported table gives them (`exchanged`).

Times in seconds, sizes in bytes, moments as ISO 8601 in UTC. None is unknown.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from types import NoneType, UnionType
from typing import Any, Self, get_args, get_origin

from unvek.core.logbook.packing import pack_floats
from unvek.core.measures.definition import Definition
from unvek.core.run.events.middles import median_of
from unvek.core.run.events.record import MEASURED, LaunchAbout, Provenance, RunRecord
from unvek.core.run.events.streams import Request

KEY = {"key": True}
TEXT = {"text": True}


def kind_of(hint: Any) -> tuple[Any, bool]:
    """Return the kind of a field's values by its type hint, and whether they may be None."""
    is_optional = get_origin(hint) is UnionType and NoneType in get_args(hint)
    return next(part for part in get_args(hint) if part is not NoneType) if is_optional else hint, is_optional


def reference(to: str) -> Mapping[str, Any]:
    return {"reference": to}


def exchanged(how: str, measure: str | None = None) -> Mapping[str, Any]:
    return {"exchanged": how, "measure": measure}


def behind(measure: str) -> Mapping[str, Any]:
    return {"measure": measure}


@dataclass(frozen=True, slots=True, kw_only=True)
class RunRow:
    """A run, as far as results need it of a great many. `rig` is that of its launch."""

    number: int = field(metadata=KEY)
    cell: str
    launch: int = field(metadata=reference("launches.number"))
    variant: str = field(metadata=exchanged("name"))
    form: str = field(default="full", metadata=exchanged("form"))
    task: str = field(metadata=exchanged("text"))
    seed: int = field(metadata=exchanged("seed"))
    round: int = field(metadata=exchanged("count"))
    repeat: int = field(metadata=exchanged("count"))
    place: int = field(metadata=exchanged("whole"))  # within its launch: 1 is the cold one, 0 could not begin
    warm_up: bool = field(default=False, metadata=exchanged("truth"))
    varied: Mapping[str, Any] = field(default_factory=dict, metadata=exchanged("varied"))
    status: str = field(metadata=exchanged("status"))
    voided: str | None = field(default=None, metadata={**TEXT, **exchanged("text")})  # why it was taken out
    time_s: float | None = field(default=None, metadata=exchanged("seconds", "time.total"))
    first_s: float | None = field(default=None, metadata=behind("time.first"))
    steps: int = field(default=0, metadata=exchanged("whole", "output.steps"))
    step_time_s: float | None = field(default=None, metadata=behind("step.time"))  # the median
    memory_peak_bytes: int | None = field(default=None, metadata=behind("memory.peak"))
    memory_device_bytes: int | None = field(default=None, metadata=behind("memory.device"))
    cpu_s: float | None = field(default=None, metadata=behind("cpu.time"))
    tokens: int = field(default=0, metadata=behind("output.tokens"))
    source: str = field(default=MEASURED, metadata=exchanged("source"))
    energy_j: float | None = field(default=None, metadata=behind("energy"))
    others_share: float | None = field(default=None, metadata=exchanged("share"))  # cores that others kept busy
    stolen_share: float | None = field(default=None, metadata=exchanged("share"))  # of cores' time, by the host
    rig: str = field(default="", metadata={"stored": False})


@dataclass(frozen=True, slots=True, kw_only=True)
class KeptRun(RunRow):
    """A run, with all that is listed of it. What is read for one run at a time stands in RunDetails."""

    id: str = field(metadata=exchanged("id"))
    error: str | None = field(default=None, metadata={**TEXT, **exchanged("error")})
    started_at: str
    trial: bool = False  # made by `try`: no part of any plan's runs
    forecast_low_s: float | None = None
    forecast_high_s: float | None = None
    forecast_basis: str | None = None

    @classmethod
    def of(cls, run: RunRecord, number: int, id: str) -> Self:
        """Return the row of a run that was made here."""
        start, progress = run.start, run.progress
        steps, forecast = progress.step_times_s, run.forecast
        begun = {one.name: getattr(start, one.name) for one in fields(start) if one.name != "settings"}
        return cls(
            number=number,
            id=id,
            **begun,
            status=run.status,
            error=run.error,
            time_s=progress.time_s,
            first_s=progress.first_s,
            steps=progress.steps,
            step_time_s=median_of(steps) if steps else None,
            memory_peak_bytes=run.memory_peak_bytes,
            memory_device_bytes=run.memory_device_bytes,
            cpu_s=progress.cpu_s,
            tokens=progress.tokens,
            energy_j=run.machine.get("energy_j"),
            others_share=run.machine.get("others_share"),
            stolen_share=run.machine.get("stolen_share"),
            forecast_low_s=forecast.low_s if forecast is not None else None,
            forecast_high_s=forecast.high_s if forecast is not None else None,
            forecast_basis=forecast.basis if forecast is not None else None,
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class RunDetails:
    """What is read of one run at a time. Packed times are little-endian float64, one a step or a piece of text."""

    run: int = field(metadata={**KEY, **reference("runs.number")})
    settings: Mapping[str, Any] = field(default_factory=dict)
    limits: Mapping[str, float | None] = field(default_factory=dict)
    step_times_s: bytes = b""
    phases_s: Mapping[str, float] = field(default_factory=dict)
    faults: tuple[tuple[str, str], ...] = ()
    provenance: Provenance = field(default_factory=Provenance)
    exit_code: int | None = None
    log_tail: str = field(default="", metadata=TEXT)
    text: str = field(default="", metadata=TEXT)
    machine: Mapping[str, Any] = field(default_factory=dict)  # what telemetry saw
    piece_times_s: bytes = b""
    requests: tuple[Request, ...] = ()

    @classmethod
    def of(cls, run: RunRecord, number: int) -> Self:
        return cls(
            run=number,
            settings=run.start.settings,
            limits=run.limits,
            step_times_s=pack_floats(run.progress.step_times_s),
            phases_s=dict(run.progress.phases_s),
            faults=run.progress.faults,
            provenance=run.provenance,
            exit_code=run.exit_code,
            log_tail=run.log_tail,
            text=run.progress.text,
            machine=run.machine,
            piece_times_s=pack_floats(run.progress.piece_times_s),
            requests=run.progress.requests,
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class LaunchRow:
    """A fresh start of a variant's process."""

    number: int = field(metadata=KEY)
    id: str
    session: int | None = field(metadata=reference("sessions.number"))  # None: made before sessions were kept
    variant: str
    round: int
    rig: str = field(metadata=reference("rigs.fingerprint"))
    started_at: str
    load_s: float | None = None
    error: str | None = field(default=None, metadata=TEXT)
    about: LaunchAbout = field(default_factory=LaunchAbout)


def model_memory_bytes(run: RunRow, launch: LaunchRow) -> int | None:
    """Return what the model added to its process in a run, where that is known."""
    before, peak = launch.about.memory_before_bytes, run.memory_peak_bytes
    return peak - before if before is not None and peak is not None and peak > before else None


@dataclass(frozen=True, slots=True, kw_only=True)
class SessionRow:
    """One `run`, `try` or `import` from beginning to end, under a name of its own.

    made_by is the command; digest is that of the file that an import read. What a file calls round 1 is the round
    rounds_before + 1 here, so that its rounds come after those that were there.
    """

    number: int = field(metadata=KEY)
    id: str
    name: str
    made_by: str
    rig: str | None = field(metadata=reference("rigs.fingerprint"))
    began_at: str
    ended_at: str | None = None  # None: it goes on, or was killed
    digest: str | None = None
    rounds_before: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputRow:
    """A file that a run made; the path is from the logbook's folder."""

    number: int = field(metadata=KEY)
    run: int = field(metadata=reference("runs.number"))
    path: str
    bytes: int
    digest: str


@dataclass(frozen=True, slots=True, kw_only=True)
class DefinitionRow:
    """A measure as its values were come by: its name, what a value is, and the origin of these values."""

    number: int = field(metadata=KEY)
    digest: str
    name: str
    origin: str
    content: Definition


@dataclass(frozen=True, slots=True, kw_only=True)
class MeasurementRow:
    """One value of a measure of a run, held against another run (0: against none); or why there is none."""

    run: int = field(metadata={**KEY, **reference("runs.number")})
    definition: int = field(metadata={**KEY, **reference("definitions.number")})
    against: int = field(default=0, metadata=KEY)
    value: float | None = None
    why: str | None = field(default=None, metadata=TEXT)


@dataclass(frozen=True, slots=True, kw_only=True)
class NoteRow:
    """A remark on a run."""

    number: int = field(metadata=KEY)
    run: int = field(metadata=reference("runs.number"))
    noted_at: str
    text: str = field(metadata=TEXT)


@dataclass(frozen=True, slots=True, kw_only=True)
class ForecastRow:
    """How long a whole session was to take; took_s once all of its runs were made, in one go."""

    number: int = field(metadata=KEY)
    made_at: str
    title: str
    runs: int
    low_s: float
    high_s: float
    took_s: float | None = None


def behind_measures() -> Mapping[str, str]:
    """Return by built-in measure the field of a run that stands behind it; time.load is its launch's."""
    return {name: one.name for one in fields(RunRow) if (name := one.metadata.get("measure")) is not None}
