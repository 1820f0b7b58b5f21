"""The runner for programs: one process a run, its progress read from what it prints, or from events that it writes."""

import os
import shutil
import tempfile
from collections.abc import Sequence
from errno import E2BIG
from pathlib import Path
from time import monotonic_ns

from unvek.core.plan.cells import Cell
from unvek.core.plan.model import Variant
from unvek.core.plan.placeholders import PROMPT_FILE, filled, names_in, values_for
from unvek.core.plan.runners import CommandRunner
from unvek.core.run.engine.model_process import Surroundings
from unvek.core.run.events.event import Event, made_event
from unvek.core.run.outputs_room import MakingFolder
from unvek.core.run.processes.family import new_mark
from unvek.core.run.processes.process import StartError
from unvek.core.run.runners.program_run import ProgramRun


def start(runner: CommandRunner, variant: Variant, around: Surroundings) -> "CommandProcess":
    """Start what a variant with such a runner asks for. Raises RunnerError where it can't be started."""
    return CommandProcess(runner, variant, around)


class CommandProcess:
    """Starts the program anew for each run."""

    total_includes_load = True
    load_is_timed = False

    def __init__(self, runner: CommandRunner, variant: Variant, around: Surroundings):
        self._runner = runner
        self._variant = variant
        self._around = around
        self._run: ProgramRun | None = None
        self._told: list[Event] = []
        self._dropped = 0
        self._stopped = False
        self._code: int | None = None
        self._prompt_folder = tempfile.mkdtemp(prefix="unvek-prompt-") if self._asks_for_prompt_file() else None
        self.mark = new_mark()

    @property
    def command(self) -> Sequence[str]:
        """What was started latest; before the first run, with its placeholders."""
        return self._run.command if self._run is not None else self._runner.command

    @property
    def pid(self) -> int | None:
        return self._run.pid if self._run is not None else None

    @property
    def helper(self) -> int | None:
        return None

    @property
    def takes_runs(self) -> bool:
        return not self._stopped

    def ask_to_load(self) -> None:
        """A program loads when it runs."""
        now_ns = monotonic_ns()
        self._told.append(made_event("loaded", now_ns, began_ns=now_ns))

    def ask_to_run(self, cell: Cell, out: MakingFolder) -> None:
        values = values_for(self._variant, cell.task, cell.seed, cell.settings, out.path)
        if self._prompt_folder is not None:
            values[PROMPT_FILE] = str(Path(self._prompt_folder, "prompt.txt"))
            Path(values[PROMPT_FILE]).write_text(cell.task.prompt, encoding="utf-8")
        command = [filled(word, values) for word in self._runner.command]
        self._drop_run()
        began_ns = monotonic_ns()
        self._told.append(made_event("began", began_ns))
        try:
            self._run = ProgramRun(self._runner, command, out, self._around, self.mark, began_ns)
        except (OSError, StartError) as error:
            why = str(getattr(error, "strerror", None) or error)
            if why == os.strerror(E2BIG):
                why = f"{why}; a long prompt is handed over in a file, with {{{PROMPT_FILE}}} in its place"
            reason = f"{command[0]} can't be started: {why}"
            self._told.append(made_event("ended", monotonic_ns(), status="failed", error=reason))

    def events(self, timeout_s: float) -> list[Event] | None:
        if self._told:
            told, self._told = self._told, []
            return told
        if self._run is None:
            return None if self._stopped else []
        return list(self._run.events(timeout_s))

    def dropped_lines(self) -> int:
        return self._dropped + (self._run.dropped_lines if self._run is not None else 0)

    def break_off(self) -> None:
        self._end_run(0)

    def stop(self, patience_s: float) -> int | None:
        if not self._stopped:
            self._stopped = True
            self._code = self._end_run(patience_s)
            self._drop_run()
            if self._prompt_folder is not None:
                shutil.rmtree(self._prompt_folder, ignore_errors=True)
        return self._code

    def _asks_for_prompt_file(self) -> bool:
        return any(PROMPT_FILE in names_in(word) for word in self._runner.command)

    def _end_run(self, patience_s: float) -> int | None:
        code = self._run.end(patience_s) if self._run is not None else None
        self._around.spawner.end_family(self.mark)
        return code

    def _drop_run(self) -> None:
        if self._run is not None:
            self._dropped += self._run.dropped_lines
            self._run.end(0)
            self._run = None
