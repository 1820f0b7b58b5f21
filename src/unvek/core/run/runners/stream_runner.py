"""The runner for servers: it starts one where the plan says how, and has a process of its own ask it."""

import json
import math
import os
import socket
import sys
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from time import monotonic_ns
from typing import Any

from unvek.core.plan.cells import Cell
from unvek.core.plan.model import Variant
from unvek.core.plan.placeholders import NONCE, filled, of_variant, values_for
from unvek.core.plan.reading.runners import PORT
from unvek.core.plan.runners import ANSWER, LOAD_SETTINGS, StreamRunner
from unvek.core.rig.process_tree import MARK
from unvek.core.run.engine.model_process import RunnerError, Surroundings
from unvek.core.run.events.event import Event
from unvek.core.run.outputs_room import MakingFolder
from unvek.core.run.processes.family import new_mark
from unvek.core.run.processes.process import Process, StartError, ToStart
from unvek.core.run.runners.worker_process import WorkerProcess

ASKER = ("-m", "unvek.core.run.runners.asker")
SERVER_PATIENCE_S = 2.0
REQUESTS_A_CLIENT = 2  # sent in a run, unless the plan says how many
ARRIVALS_FOR_S = 5.0  # as long as requests arrive in a run, unless the plan says how many
FEWEST_ARRIVALS = 10


def start(runner: StreamRunner, variant: Variant, around: Surroundings) -> "StreamProcess":
    """Start what a variant with such a runner asks for. Raises RunnerError where it can't be started."""
    return StreamProcess(runner, variant, around)


class StreamProcess:
    """A server, ours or somebody else's, and the process that asks it."""

    total_includes_load = False

    def __init__(self, runner: StreamRunner, variant: Variant, around: Surroundings):
        self._runner = runner
        self._variant = variant
        self.mark = new_mark()
        self.load_is_timed = bool(runner.serve)
        self._port = {PORT: free_port()} if runner.serve else {}
        self._values = {**variant.settings, **of_variant(variant), **self._port}  # known before any run
        self._spawner = around.spawner
        self._server: Process | None = None
        self._began_ns = monotonic_ns()
        self._stopped = self._is_loading = False
        self._nonces, self._asked = around.nonces, Counter[str]()
        if runner.serve:
            self._server = self._start_server(around)
        try:
            self._asker = WorkerProcess(around, (sys.executable, *ASKER), runner.folder, {})
        except RunnerError:
            self._end_server(0)
            raise

    def _start_server(self, around: Surroundings) -> Process:
        runner = self._runner
        self._command = [filled(word, self._values) for word in runner.serve]
        program = str(runner.folder / self._command[0]) if "/" in self._command[0] else self._command[0]
        try:
            with around.log.writing_end() as printed:
                return self._spawner.start(
                    ToStart(
                        command=[program, *self._command[1:]],
                        folder=runner.folder,
                        environment={**os.environ, **runner.environment, **around.environment, MARK: self.mark},
                        output=printed,
                        error=printed,
                    )
                )
        except (StartError, OSError) as error:
            raise RunnerError(f"the server can't be started: {self._command[0]}: {error}") from error

    @property
    def command(self) -> Sequence[str]:
        return self._command if self._server is not None else (self._runner.method, self._runner.url)

    @property
    def pid(self) -> int | None:
        return self._server.pid if self._server is not None else None

    @property
    def helper(self) -> int | None:
        return self._asker.pid

    @property
    def takes_runs(self) -> bool:
        return not self._stopped and (self._server is None or self._server.ended() is None)

    def ask_to_load(self) -> None:
        ready = self._runner.ready
        self._is_loading = True
        self._asker.ask(
            "load", ready=None if ready is None else filled(ready, self._values), began_ns=self._began_ns
        )  # fmt: skip

    def ask_to_run(self, cell: Cell, out: MakingFolder) -> None:
        runner, settings = self._runner, cell.settings
        values = {**values_for(self._variant, cell.task, cell.seed, settings), **self._port}
        known = {name: value for name, value in values.items() if name not in runner.secrets}
        known[NONCE] = f"{self._nonces}/{self._place_of(cell)}"
        clients, arrivals, requests = load_of(settings)
        self._asker.ask(
            "run",
            question={
                "url": runner.url, "method": runner.method, "headers": dict(runner.headers), "body": runner.body,
                "framing": runner.framing, "texts": texts_of(runner), "tokens_in": runner.tokens_in,
                "tokens_out": runner.tokens_out, "tokens_of": dict(runner.tokens_of), "cached": runner.cached,
                "fetch": runner.fetch, "job": None if runner.job is None else asdict(runner.job),
                "retries": runner.retries, "secrets": runner.secrets, "values": known,
            },
            load={
                "count": runner.count, "each_is_token": runner.each_is_token, "out": str(out.path),
                "clients": clients, "arrivals_per_second": arrivals, "requests": requests,
            },
        )  # fmt: skip

    def _place_of(self, cell: Cell) -> str:
        """Name the place that a run has in its launch, whatever its variant: what is asked, and how often before."""
        asked = json.dumps([cell.task.name, cell.seed, dict(cell.varied)], sort_keys=True)
        self._asked[asked] += 1
        return f"{asked}/{self._asked[asked]}"

    def events(self, timeout_s: float) -> list[Event] | None:
        events = self._asker.events(timeout_s)
        if events:
            self._is_loading = self._is_loading and not any(event.kind == "loaded" for event in events)
        elif self._is_loading and self._server is not None and self._server.ended() is not None:
            return None  # it has ended before it was ready
        return events

    def dropped_lines(self) -> int:
        return self._asker.dropped_lines()

    def break_off(self) -> None:
        """The server would go on with what it was asked for: it is started anew."""
        self.stop(0)

    def stop(self, patience_s: float) -> int | None:
        if not self._stopped:
            self._stopped = True
            self._asker.stop(0)
            self._end_server(min(patience_s, SERVER_PATIENCE_S))
        return self._server.code if self._server is not None else None

    def _end_server(self, patience_s: float) -> None:
        if self._server is not None:
            self._server.end(0, after_asking_s=patience_s)
            self._spawner.end_family(self.mark)


def load_of(settings: Mapping[str, Any]) -> tuple[int, float | None, int]:
    """Return (clients, arrivals a second or None, requests) that a run's settings ask for."""
    clients, arrivals, requests = (settings.get(name) for name in LOAD_SETTINGS)
    if arrivals is not None:
        return 1, float(arrivals), int(requests or max(FEWEST_ARRIVALS, math.ceil(ARRIVALS_FOR_S * arrivals)))
    clients = int(clients or 1)
    return clients, None, int(requests or (REQUESTS_A_CLIENT * clients if clients > 1 else 1))


def texts_of(runner: StreamRunner) -> dict[str, str]:
    """Return the pointers to the texts of an answer, by their names."""
    return {**({ANSWER: runner.text} if runner.text else {}), **runner.texts_beside}


def free_port() -> int:
    """Return a port of this machine that nobody listens on now."""
    with socket.socket() as listening:
        listening.bind(("127.0.0.1", 0))
        return int(listening.getsockname()[1])
