"""The runner for Python scripts: a worker process in the interpreter named, kept alive for a round."""

import json
import os
import selectors
import signal
import subprocess
from collections.abc import Mapping
from pathlib import Path
from time import monotonic
from typing import Any

import unvek.probe
from unvek.core.plan.cells import Cell
from unvek.core.plan.model import PythonRunner, Variant
from unvek.core.rig.process_tree import MARK
from unvek.core.run.events import Event, LineSplitter, NotAnEventError, parse_event
from unvek.core.run.family import end_family, end_group, new_mark
from unvek.core.run.ring import RingReader
from unvek.core.run.runner import RunnerError

WORKER = Path(unvek.probe.__file__).with_name("worker.py")
MOST_WAKES = 4096
AFTER_TERMINATE_S = 0.2
AFTER_KILL_S = 5.0


class PythonProcess:
    """A worker, what it is asked and tells through, and everything that it starts."""

    def __init__(self, runner: PythonRunner, variant: Variant, log: Path, environment: Mapping[str, str]):
        self._variant = variant
        self.mark = new_mark()
        requests_fd, self._requests_fd = os.pipe()
        self._wake_fd, wake_fd = os.pipe()
        self._ring = RingReader()
        self._selector = selectors.DefaultSelector()
        self._splitter = LineSplitter()
        self._garbage = 0
        self._open = True
        self._stopped = False
        fds = (requests_fd, wake_fd, self._ring.fd)
        self.command = (runner.python, str(WORKER), *map(str, fds), str(runner.script))
        try:
            with open(log, "ab", buffering=0) as log_file:
                self._process = subprocess.Popen(
                    self.command,
                    stdin=subprocess.DEVNULL,
                    stdout=log_file,
                    stderr=log_file,
                    pass_fds=fds,
                    cwd=runner.script.parent,
                    env={**os.environ, **runner.environment, **environment, MARK: self.mark},
                    start_new_session=True,  # Ctrl-C is the engine's; and the whole group can be ended at once
                )
        except OSError as error:
            self._close_pipes()
            raise RunnerError(f"{runner.python} can't be started: {error.strerror}") from error
        finally:
            os.close(requests_fd)
            os.close(wake_fd)
        self._selector.register(self._wake_fd, selectors.EVENT_READ)

    @property
    def pid(self) -> int:
        return self._process.pid

    def ask_to_load(self) -> None:
        variant = self._variant
        self._ask(
            "load",
            variant={
                "name": variant.name,
                "form": variant.form,
                "weights": [str(path) for path in variant.weights],
                "parts": {name: str(path) for name, path in variant.parts.items()},
                "settings": dict(variant.settings),
            },
        )

    def ask_to_run(self, cell: Cell, out: Path) -> None:
        self._ask(
            "run",
            job={
                "task": cell.task.name,
                "prompt": cell.task.prompt,
                "seed": cell.seed,
                "settings": dict(cell.settings),
                "inputs": [str(path) for path in cell.task.inputs],
                "out": str(out),
            },
        )

    def _ask(self, what: str, **content: Any) -> None:
        try:
            os.write(self._requests_fd, json.dumps({"do": what, **content}).encode() + b"\n")
        except BrokenPipeError:
            pass  # the process has ended: events() will say so

    def events(self, timeout_s: float) -> list[Event] | None:
        if not self._open and not self._ring.holds_more:
            return None
        if self._open:
            self._wait(0.0 if self._ring.holds_more else max(0.0, timeout_s))
        return self._parsed(self._ring.read())

    def _wait(self, timeout_s: float) -> None:
        """Wait to be woken, or for the end of the process."""
        if not self._selector.select(timeout_s):
            # The end of the pipe is not enough: a child that the script forked may hold it open for ever.
            if self._process.poll() is not None and not self._selector.select(0):
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
        return self._garbage + self._splitter.dropped

    def stop(self, patience_s: float) -> int | None:
        """Close the requests, which ends an idle worker; then terminate; then kill; then whatever it started."""
        if self._stopped:
            return self._process.poll()
        self._stopped = True
        self._close_requests()
        deadline = monotonic() + patience_s
        if not self._ends_by(deadline):
            end_group(self._process.pid, signal.SIGTERM)
            self._ends_by(monotonic() + AFTER_TERMINATE_S)
        end_group(self._process.pid)
        self._ends_by(monotonic() + AFTER_KILL_S)
        end_family(self.mark)
        self._close_pipes()
        return self._process.poll()

    def _ends_by(self, deadline: float) -> bool:
        try:
            self._process.wait(max(0.0, deadline - monotonic()))
        except subprocess.TimeoutExpired:
            return False
        return True

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


class PythonRunners:
    """Starts a worker for a variant whose runner is a script; `environment` is put on top of the runner's own."""

    def __init__(self, runners: Mapping[str, PythonRunner], environment: Mapping[str, str] | None = None):
        self._runners = runners
        self._environment = environment or {}

    def start(self, variant: Variant, log: Path) -> PythonProcess:
        return PythonProcess(self._runners[variant.runner], variant, log, self._environment)
