"""The runner for Python scripts: a worker process in the interpreter named, kept alive for a round."""

from pathlib import Path

import unvek.probe
from unvek.core.plan.cells import Cell
from unvek.core.plan.model import Variant
from unvek.core.plan.runners import PythonRunner
from unvek.core.run.engine.model_process import Surroundings
from unvek.core.run.outputs_room import MakingFolder
from unvek.core.run.runners.worker_process import WorkerProcess

WORKER = Path(unvek.probe.__file__).with_name("worker.py")


def start(runner: PythonRunner, variant: Variant, around: Surroundings) -> "PythonProcess":
    """Start what a variant with such a runner asks for. Raises RunnerError where it can't be started."""
    return PythonProcess(runner, variant, around)


class PythonProcess(WorkerProcess):
    """A worker that holds one variant, loaded by the user's script."""

    total_includes_load = False
    load_is_timed = True

    def __init__(self, runner: PythonRunner, variant: Variant, around: Surroundings):
        self._variant = variant
        super().__init__(
            around, (runner.python, str(WORKER)), runner.script.parent, {**runner.environment, **around.environment},
            arguments=(str(runner.script),),
        )  # fmt: skip

    def ask_to_load(self) -> None:
        variant = self._variant
        self.ask(
            "load",
            variant={
                "name": variant.name,
                "form": variant.form,
                "weights": [str(path) for path in variant.weights],
                "parts": {name: str(path) for name, path in variant.parts.items()},
                "settings": dict(variant.settings),
                "precision": variant.precision,
            },
        )

    def ask_to_run(self, cell: Cell, out: MakingFolder) -> None:
        self.ask(
            "run",
            job={
                "task": cell.task.name,
                "prompt": cell.task.prompt,
                "seed": cell.seed,
                "settings": dict(cell.settings),
                "inputs": [str(path) for path in cell.task.inputs],
                "out": str(out.path),
                "keeps_previews": cell.keeps_previews,
            },
        )
