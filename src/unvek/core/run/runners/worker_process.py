"""A worker: a process beside the engine that is asked through a pipe and tells through shared memory."""

import json
import os
import selectors
from collections.abc import Mapping, Sequence
from pathlib import Path
from select import select
from time import monotonic
from typing import Any

from unvek.core.rig.process_tree import MARK
from unvek.core.run.engine.model_process import RunnerError, Surroundings
from unvek.core.run.events.event import Event, LineSplitter, NotAnEventError, parse_event
from unvek.core.run.processes.family import new_mark
from unvek.core.run.processes.process import StartError, ToStart
from unvek.core.run.runners.ring import RingReader

MOST_WAKES = 4096
TAKES_WITHIN_S, LOOKED_AT_EVERY_S = 10.0, 0.2  # a request


class WorkerProcess:
    """A worker, what it is asked and tells through, and everything that it starts.

    The numbers of its three files (requests, wakes, events) are put behind the words of its command.
    """

    def __init__(self, around: Surroundings, program: Sequence[str], folder: Path, environment: Mapping[str, str],
                 arguments: Sequence[str] = ()):  # fmt: skip
        self.mark = new_mark()
        self._spawner = around.spawner
        requests_fd, self._requests_fd = os.pipe()
        self._wake_fd, wake_fd = os.pipe()
        self._ring = RingReader()
        self._selector = selectors.DefaultSelector()
        self._splitter = LineSplitter()
        self._garbage = 0
        self._open = True
        self._stopped = False
        fds = (requests_fd, wake_fd, self._ring.fd)
        self.command = (*program, *map(str, fds), *arguments)
        try:
            with around.log.writing_end() as printed:
                wanted = ToStart(
                    command=self.command, folder=folder, environment={**os.environ, **environment, MARK: self.mark},
                    output=printed, error=printed, fds=fds,
                )  # fmt: skip
                self._process = around.spawner.start(wanted)
        except (StartError, OSError) as error:
            self._close_pipes()
            raise RunnerError(f"{program[0]} can't be started: {error}") from error
        finally:
            os.close(requests_fd)
            os.close(wake_fd)
        self._selector.register(self._wake_fd, selectors.EVENT_READ)
        os.set_blocking(self._requests_fd, False)

    @property
    def pid(self) -> int:
        return self._process.pid

    def ask(self, what: str, **content: Any) -> None:
        """Send a request. One that the process does not take is left: events() then says that it has ended, or nothing.

        A long prompt does not fit into the pipe at once, and what reads it may hang: it is not waited for without end.
        """
        rest = memoryview(json.dumps({"do": what, **content}).encode() + b"\n")
        until_s = monotonic() + TAKES_WITHIN_S
        while rest and monotonic() < until_s:
            try:
                rest = rest[os.write(self._requests_fd, rest) :]
            except BlockingIOError:
                select([], [self._requests_fd], [], LOOKED_AT_EVERY_S)
                if self._process.ended() is not None:
                    return
            except BrokenPipeError:
                return

    def events(self, timeout_s: float) -> list[Event] | None:
        """Return what has come, waiting so long at most; None when the process has ended and all is read."""
        if not self._open and not self._ring.holds_more:
            return None
        if self._open:
            self._wait(0.0 if self._ring.holds_more else max(0.0, timeout_s))
        return self._parsed(self._ring.read())

    def _wait(self, timeout_s: float) -> None:
        """Wait to be woken, or for the end of the process."""
        if not self._selector.select(timeout_s):
            # The end of the pipe is not enough: a child that the script forked may hold it open for ever.
            if self._process.ended() is not None and not self._selector.select(0):
                self._open = False
        elif not os.read(self._wake_fd, MOST_WAKES):
            self._open = False

    def _parsed(self, data: bytes) -> list[Event]:
        events = []
        for line in self._splitter.feed(data):
            try:
                events.append(parse_event(line))
            except NotAnEventError:
                self._garbage += 1
        return events

    def dropped_lines(self) -> int:
        """Return how many lines so far were no events."""
        return self._garbage + self._splitter.dropped

    @property
    def helper(self) -> int | None:
        return None

    @property
    def takes_runs(self) -> bool:
        return not self._stopped

    def break_off(self) -> None:
        """A script can't be told to leave off: its process is ended."""
        self.stop(0)

    def stop(self, patience_s: float) -> int | None:
        """Close the requests, which ends an idle worker; then terminate; then kill; then whatever it started."""
        if self._stopped:
            return self._process.code
        self._stopped = True
        self._close_requests()
        self._process.end(patience_s)
        self._spawner.end_family(self.mark)
        self._close_pipes()
        return self._process.code

    def _close_requests(self) -> None:
        if self._requests_fd >= 0:
            os.close(self._requests_fd)
            self._requests_fd = -1

    def _close_pipes(self) -> None:
        self._close_requests()
        if self._wake_fd >= 0:
            self._selector.close()
            os.close(self._wake_fd)
            self._wake_fd = -1
            self._ring.close()
        self._open = False
