"""Starting the process that a variant's runner asks for, whatever its kind.

A kind's module is called after it, and has `start`: it is imported when a process of that kind is started, since each
brings its own libraries, and a plan of scripts needs none for HTTP.
"""

from collections.abc import Mapping
from importlib import import_module
from secrets import token_hex

from unvek.core.ask.secrets import Secrets
from unvek.core.plan.model import Variant
from unvek.core.plan.runners import Runner
from unvek.core.run.engine.model_process import ModelProcess, RunnerError, Surroundings
from unvek.core.run.engine.printed_log import PrintedLog
from unvek.core.run.processes.process import Spawner


class VariantStarter:
    """Starts processes for the variants of a plan; `environment` is put on top of the runners' own."""

    def __init__(self, runners: Mapping[str, Runner], spawner: Spawner, environment: Mapping[str, str] | None = None):
        self.spawner = spawner
        self._runners = runners
        self._environment = environment or {}
        self._session = token_hex(8)

    def start(self, variant: Variant, log: PrintedLog, round_number: int) -> ModelProcess:
        """Start a process for a round, that prints into a log. Raises RunnerError where it can't be started."""
        runner = self._runners[variant.runner]
        missing = Secrets(runner.secrets).missing
        if missing:
            raise RunnerError(
                f"the environment has no {' and no '.join(missing)} (secrets of runner {runner.name}): set it where "
                "you start 'unvek run'"
            )
        start = import_module(f"unvek.core.run.runners.{runner.kind}_runner").start
        around = Surroundings(self.spawner, log, self._environment, f"{self._session}/{round_number}")
        process: ModelProcess = start(runner, variant, around)
        return process
