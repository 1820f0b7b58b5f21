"""What a runner is: something that starts a process for a variant and speaks events with it.

A new kind of runner implements these few methods; limits, clock, journal and the keeping of runs stand above it,
in the engine, once.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

from unvek.core.plan.cells import Cell
from unvek.core.plan.model import Variant
from unvek.core.run.engine.printed_log import PrintedLog
from unvek.core.run.events.event import Event
from unvek.core.run.outputs_room import MakingFolder
from unvek.core.run.processes.process import Spawner


class ModelProcess(Protocol):
    """What holds one variant, or is started for each run of it. Once it has stopped only `stop` may be called."""

    total_includes_load: bool  # whether a run's time includes the loading of the model
    load_is_timed: bool  # whether what lies between asking for the model and `loaded` is its loading
    mark: str  # what the process and all that it starts bear in their environment (family.py)

    @property
    def command(self) -> Sequence[str]: ...

    @property
    def pid(self) -> int | None:
        """The root of the processes that hold the model; None while there are none, or none of ours."""

    @property
    def helper(self) -> int | None:
        """A process of Unvek's own that works beside the model; None where there is none."""

    @property
    def takes_runs(self) -> bool:
        """Whether it can be asked for another run."""

    def ask_to_load(self) -> None:
        """Ask for the model; `loaded` comes as an event."""

    def ask_to_run(self, cell: Cell, out: MakingFolder) -> None:
        """Ask for one run; `began` to `ended` come as events."""

    def events(self, timeout_s: float) -> list[Event] | None:
        """Return what has come, waiting so long at most; None when the process has ended and all is read."""

    def dropped_lines(self) -> int:
        """Return how many lines so far were no events."""

    def break_off(self) -> None:
        """End the run that is being made, before it ends by itself."""

    def stop(self, patience_s: float) -> int | None:
        """End the process and all that it started: ask, wait so long, then kill. Return its exit code."""


@dataclass(frozen=True, slots=True)
class Surroundings:
    """What a launch's processes are started by, where they print, and what stands in their environment besides.

    nonces is what they draw theirs from: another in each session and round, the same for every variant.
    """

    spawner: Spawner
    log: PrintedLog
    environment: Mapping[str, str]
    nonces: str


class Starter(Protocol):
    """Starts the process that a variant's runner asks for."""

    spawner: Spawner

    def start(self, variant: Variant, log: PrintedLog, round_number: int) -> ModelProcess:
        """Start a process for a round, that prints into a log. Raises RunnerError where it can't be started."""


class RunnerError(Exception):
    """A process that can't be started; the text says why."""
