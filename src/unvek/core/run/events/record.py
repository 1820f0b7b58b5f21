"""A run, whole, as it is handed on to be kept; and the words for how a run may end."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from unvek.core.measures.catalogue import measured_definition
from unvek.core.measures.definition import BY_HAND as BY_HAND
from unvek.core.measures.definition import IMPORTED as IMPORTED
from unvek.core.measures.definition import MEASURED as MEASURED
from unvek.core.measures.definition import TOLD, Definition
from unvek.core.measures.kinds import KINDS
from unvek.core.run.events.streams import Request
from unvek.core.run.forecast import Forecast

FINISHED = "finished"
FAILED = "failed"
TIMED_OUT = "timed-out"
STALLED = "stalled"
OUT_OF_MEMORY = "out-of-memory"
LOOPING = "looping"
OVER_LIMIT = "over-limit"
SKIPPED = "skipped"
INTERRUPTED = "interrupted"

# What says something of the variant; the other statuses say that the user stopped it.
FAILURES = (FAILED, OUT_OF_MEMORY, TIMED_OUT, STALLED, LOOPING, OVER_LIMIT)
OUTCOMES = (FINISHED, *FAILURES)
STARTED_AFRESH = "started afresh"  # why runs were voided: they are as good as ever, but of another time
STATUSES = (*OUTCOMES, SKIPPED, INTERRUPTED)

# Cores that other processes or the host of a virtual machine kept from a model, from which on its run was disturbed.
DISTURBED_FROM = 0.2

SIMULATED = "simulated"  # where a run's figures are from, beside MEASURED, IMPORTED and BY_HAND
SOURCES = (MEASURED, SIMULATED, IMPORTED, BY_HAND)
# What the cells of runs begin with that were brought in: they count beside whatever plan is the newest; or they do not,
# since where they were made they were of an earlier form of the plan.
CELL_FROM_ELSEWHERE, CELL_OF_EARLIER = "elsewhere:", "earlier:"


def is_from_elsewhere(cell: str) -> bool:
    """Whether a run of this cell was brought in, and counts."""
    return cell.startswith(CELL_FROM_ELSEWHERE)


def bare_cell(cell: str) -> str:
    """Return a cell's key as it was where its run was made."""
    return cell.removeprefix(CELL_FROM_ELSEWHERE).removeprefix(CELL_OF_EARLIER)


@dataclass(frozen=True, slots=True, kw_only=True)
class Slot:
    """A place in the schedule: one cell in one round, the how-manieth repeat. Filled once by a run with an outcome."""

    cell_key: str
    round: int
    repeat: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Value:
    """A number about a run, beside its times: measured of its streams, or told by the model's side."""

    name: str
    number: float
    unit: str
    origin: str = TOLD
    ours: bool = False  # whether its name is one that Unvek gives: the number came by a report of its own

    @property
    def definition(self) -> Definition:
        if self.ours:
            return measured_definition(self.name, self.unit)
        return KINDS["told"].definition({"unit": self.unit})


@dataclass(frozen=True, slots=True, kw_only=True)
class Progress:
    """What the events of a run come to. Times in seconds from the start of the run."""

    time_s: float | None = None
    first_s: float | None = None
    step_times_s: Sequence[float] = ()  # an array where there may be many
    untimed_steps: int = 0  # beside these: steps of which only the end is known
    phases_s: tuple[tuple[str, float], ...] = ()
    tokens: int = 0
    piece_times_s: Sequence[float] = ()  # when each token came, or piece of an answer; stream after stream
    requests: tuple[Request, ...] = ()
    text: str = ""
    values: tuple[Value, ...] = ()
    faults: tuple[tuple[str, str], ...] = ()
    outputs: tuple[str, ...] = ()
    memory_peak_bytes: int | None = None
    memory_device_bytes: int | None = None
    cpu_s: float | None = None

    @property
    def steps(self) -> int:
        return len(self.step_times_s) + self.untimed_steps


@dataclass(frozen=True, slots=True, kw_only=True)
class RunStart:
    """What is known of an execution of a cell when it begins.

    `place` counts the runs of a launch from 1; place 1 is the cold one. A `trial` is a run made by hand, no part of any
    plan's runs; `varied` holds the settings that differ from the plan's.
    """

    cell: str
    round: int
    repeat: int
    launch: int
    place: int
    warm_up: bool
    variant: str
    form: str
    task: str
    seed: int
    settings: Mapping[str, Any]
    varied: Mapping[str, Any] = field(default_factory=dict)
    started_at: str
    source: str = MEASURED
    trial: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Provenance:
    """What a run was made of; None is unknown. Files and script are digests by path."""

    runner: str | None = None
    command: tuple[str, ...] | None = None
    python: str | None = None
    script: Mapping[str, str] | None = None
    environment: Mapping[str, str] | None = None
    files: Mapping[str, str] | None = None
    total_includes_load: bool | None = None
    precision: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class LaunchAbout:
    """What a launch's process is: versions of its packages, digests of its script's modules, settings of threads.

    memory_before_bytes is what it held before the model was loaded.
    """

    command: tuple[str, ...] | None = None
    python: str | None = None
    packages: Mapping[str, str | None] | None = None
    modules: Mapping[str, str | None] | None = None
    threads: Mapping[str, str | None] | None = None
    memory_before_bytes: int | None = None
    log_tail: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class RunRecord:
    """A run that is over. `machine` is what telemetry saw meanwhile."""

    start: RunStart
    limits: Mapping[str, float | None]
    status: str
    error: str | None
    progress: Progress
    exit_code: int | None
    provenance: Provenance
    log_tail: str = ""
    machine: Mapping[str, Any] = field(default_factory=dict)
    forecast: Forecast | None = None

    @property
    def memory_peak_bytes(self) -> int | None:
        """The most that the process tree held: by the looks at it, or by the model's process itself if that is more."""
        return _larger(self.progress.memory_peak_bytes, self.machine.get("tree_memory_peak_bytes"))

    @property
    def memory_device_bytes(self) -> int | None:
        """The most that was held on accelerators, as the script or the accelerators said."""
        return _larger(self.progress.memory_device_bytes, self.machine.get("device_memory_peak_bytes"))


def _larger(a: int | None, b: int | None) -> int | None:
    known = [value for value in (a, b) if value is not None]
    return max(known) if known else None
