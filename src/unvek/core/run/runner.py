"""What a runner is: something that starts a process for a variant and speaks events with it.

A new kind of runner implements these few methods; limits, clock, journal and the keeping of runs stand above it,
in the engine, once.
"""

from collections.abc import Sequence
from pathlib import Path
from typing import Protocol

from unvek.core.plan.cells import Cell
from unvek.core.plan.model import Variant
from unvek.core.run.events import Event


class ModelProcess(Protocol):
    """A started process that holds one variant. Every method but `stop` may be called only while it lives."""

    @property
    def command(self) -> Sequence[str]: ...

    @property
    def pid(self) -> int: ...

    @property
    def mark(self) -> str:
        """What the process and all that it starts bear in their environment (family.py)."""

    def ask_to_load(self) -> None:
        """Ask for the model; `loaded` comes as an event."""

    def ask_to_run(self, cell: Cell, out: Path) -> None:
        """Ask for one run; `began` to `ended` come as events."""

    def events(self, timeout_s: float) -> list[Event] | None:
        """Return what has come, waiting so long at most; None when the process has ended and all is read."""

    def dropped_lines(self) -> int:
        """Return how many lines so far were no events."""

    def stop(self, patience_s: float) -> int | None:
        """End the process and all that it started: ask, wait so long, then kill. Return its exit code."""


class Runner(Protocol):
    """Starts processes for variants of one kind."""

    def start(self, variant: Variant, log: Path) -> ModelProcess:
        """Start a process that logs what it prints to a file. Raises RunnerError where it can't be started."""


class RunnerError(Exception):
    """A process that can't be started; the text says why."""
