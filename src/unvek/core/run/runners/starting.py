"""Starting the process that a variant's runner asks for, whatever its kind."""

from collections.abc import Mapping
from pathlib import Path

from unvek.core.ask.secrets import Secrets
from unvek.core.plan.model import Variant
from unvek.core.plan.runners import CommandRunner, PythonRunner, Runner
from unvek.core.run.engine.model_process import ModelProcess, RunnerError


class VariantStarter:
    """Starts processes for the variants of a plan; `environment` is put on top of the runners' own."""

    def __init__(self, runners: Mapping[str, Runner], environment: Mapping[str, str] | None = None):
        self._runners = runners
        self._environment = environment or {}

    def start(self, variant: Variant, log: Path) -> ModelProcess:
        """Start a process that logs what it prints to a file. Raises RunnerError where it can't be started."""
        runner = self._runners[variant.runner]
        missing = Secrets(runner.secrets).missing
        if missing:
            raise RunnerError(
                f"the environment has no {' and no '.join(missing)} (secrets of runner {runner.name}): set it where "
                "you start 'unvek run'"
            )
        # Each kind brings its own libraries: a plan of scripts needs none for HTTP.
        if isinstance(runner, PythonRunner):
            from unvek.core.run.runners.python_runner import PythonProcess

            return PythonProcess(runner, variant, log, self._environment)
        if isinstance(runner, CommandRunner):
            from unvek.core.run.runners.command_runner import CommandProcess

            return CommandProcess(runner, variant, log, self._environment)
        from unvek.core.run.runners.stream_runner import StreamProcess

        return StreamProcess(runner, variant, log, self._environment)
