"""A started process as runners see it, and what starts one."""

import os
import signal
from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

AFTER_KILL_S = 5.0


class StartError(Exception):
    """A process that can't be started; the text says why."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ToStart:
    """What is to be started: a command, in a session of its own, its standard input empty.

    program is what is executed where that is not the command's first word; fds are descriptors that it is to have under
    the same numbers; environment is all that it gets.
    """

    command: Sequence[str]
    program: str | None = None
    folder: Path
    environment: Mapping[str, str]
    output: int
    error: int
    fds: Sequence[int] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Ended:
    """How a process ended: its exit code (negative for a signal), when on the monotonic clock, and what it had used.

    peak_bytes is as the system has it; None where it is not known.
    """

    code: int
    at_ns: int
    cpu_s: float | None = None
    peak_bytes: int | None = None


class Process(ABC):
    """A process that leads a session and a group of its own."""

    pid: int

    @abstractmethod
    def ended(self) -> Ended | None:
        """Return how it ended, without waiting; None while it runs."""

    @abstractmethod
    def wait(self, seconds: float) -> bool:
        """Wait so long at most; whether it has ended."""

    def end(self, patience_s: float, after_asking_s: float = 0.2) -> None:
        """End it and its group: wait for it, ask it to end, wait again, then kill."""
        if not self.wait(patience_s):
            self._signal(signal.SIGTERM)
            self.wait(after_asking_s)
        self._signal(signal.SIGKILL)
        self.wait(AFTER_KILL_S)

    def _signal(self, number: int) -> None:
        try:
            os.killpg(self.pid, number)
        except (ProcessLookupError, PermissionError):
            pass  # the group is gone already (on macOS a group of zombies is not permitted)

    @property
    def code(self) -> int | None:
        ended = self.ended()
        return None if ended is None else ended.code


class Spawner(ABC):
    """Starts processes. exits_fd becomes readable when one of them ends; None where the system can't tell so."""

    exits_fd: int | None = None
    adopter: int | None = None  # the process, other than this one, to which orphans come

    @abstractmethod
    def start(self, wanted: ToStart) -> Process:
        """Start a process; StartError where that can't be."""

    @abstractmethod
    def end_family(self, mark: str) -> None:
        """Kill all that bears this mark in its environment; and what is left of others, where that can be told."""

    def close(self) -> None:  # noqa: B027 - what starts processes itself has nothing to end beside them
        """End all that is left."""
