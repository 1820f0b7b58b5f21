"""A run, whole, as it is handed on to be kept; and the words for how a run may end."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

FINISHED = "finished"
FAILED = "failed"
TIMED_OUT = "timed-out"
STALLED = "stalled"
SKIPPED = "skipped"
INTERRUPTED = "interrupted"

# What says something of the variant; the other statuses say that the user stopped it.
OUTCOMES = (FINISHED, FAILED, TIMED_OUT, STALLED)
FAILURES = (FAILED, TIMED_OUT, STALLED)


@dataclass(frozen=True, slots=True, kw_only=True)
class Slot:
    """A place in the schedule: one cell in one round, the how-manieth repeat. Filled once by a run with an outcome."""

    cell_key: str
    round: int
    repeat: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Value:
    """A number that the model's script reported about its run."""

    name: str
    number: float
    unit: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Progress:
    """What the events of a run come to. Times in seconds from the start of the run."""

    time_s: float | None = None
    first_s: float | None = None
    step_times_s: tuple[float, ...] = ()
    phases_s: tuple[tuple[str, float], ...] = ()
    tokens: int = 0
    text: str = ""
    values: tuple[Value, ...] = ()
    faults: tuple[tuple[str, str], ...] = ()
    outputs: tuple[str, ...] = ()
    memory_peak_bytes: int | None = None
    memory_device_bytes: int | None = None
    cpu_s: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class RunRecord:
    """One execution of a cell. `place` counts the runs of a launch from 1; place 1 is the cold one."""

    slot: Slot
    launch: int
    place: int
    warm_up: bool
    variant: str
    form: str
    task: str
    seed: int
    settings: Mapping[str, Any]
    limits: Mapping[str, float | None]
    status: str
    error: str | None
    started_at: str
    progress: Progress
    exit_code: int | None
    log_tail: str
    provenance: Mapping[str, Any]
