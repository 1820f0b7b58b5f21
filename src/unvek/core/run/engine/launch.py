"""A launch: one start of a variant's process, from loading to the end, watched and within its limits."""

from collections.abc import Mapping
from dataclasses import replace
from time import monotonic_ns
from typing import Any

from unvek.core.ask.secrets import Secrets
from unvek.core.plan.cells import Cell
from unvek.core.plan.model import Variant
from unvek.core.rig.process_tree import ProcessTree
from unvek.core.rig.telemetry import Look, Telemetry
from unvek.core.run.engine.bench import Bench
from unvek.core.run.engine.hearing import Hearing
from unvek.core.run.engine.limits import LimitsWatch, Outcome
from unvek.core.run.engine.memory_fence import MemoryFence, let_go_first
from unvek.core.run.engine.model_process import ModelProcess, RunnerError
from unvek.core.run.engine.printed_log import PrintedLog
from unvek.core.run.events.event import Event, packages_of
from unvek.core.run.events.record import FAILED, FINISHED, INTERRUPTED, OUT_OF_MEMORY, SKIPPED
from unvek.core.run.events.recording import Recording
from unvek.core.run.events.streams import NS
from unvek.core.run.journal.entries import Looked
from unvek.core.run.outputs_room import MakingFolder
from unvek.core.run.processes.family import exit_words, is_from_outside
from unvek.core.units import counted

STOP_PATIENCE_S = 3.0
NO_MEMORY = "the system ended the process because memory ran out"


class LoadError(Exception):
    """The variant could not be loaded; the text says why, the status how that counts."""

    def __init__(self, outcome: Outcome):
        super().__init__(outcome.error)
        self.status = outcome.status


class Launch:
    """One process. `place` counts its runs; `alive` says whether it can take another."""

    def __init__(self, bench: Bench, number: int, round_number: int, variant: Variant, secrets: Secrets):
        self.number = number
        self.round = round_number
        self.variant = variant
        self.log = PrintedLog(bench.keeper.log_path(number), secrets, bench.keeper.logs)
        self.place = 0
        self.alive = False
        self.load_s: float | None = None
        self.memory_before_bytes: int | None = None  # what the process held before the model was loaded
        self.python: str | None = None
        # The packages and modules that its process has loaded, as last told.
        self.loaded: Mapping[str, Mapping[str, str | None]] = {}
        self._process: ModelProcess | None = None
        self.secrets = secrets
        self._hearing = Hearing(secrets)
        self._telemetry: Telemetry | None = None
        self._attended: int | None = None
        self._fence: MemoryFence | None = None
        self._bench = bench

    @property
    def total_includes_load(self) -> bool:
        return self._process is not None and self._process.total_includes_load

    @property
    def command(self) -> tuple[str, ...] | None:
        return tuple(self._process.command) if self._process is not None else None

    def start(self) -> None:
        """Start the process and have the variant loaded; LoadError where that does not come about."""
        try:
            process = self._process = self._bench.starter.start(self.variant, self.log, self.round)
        except RunnerError as error:
            raise LoadError(Outcome(FAILED, str(error))) from error
        self._attend(process)
        process.ask_to_load()
        self._await_loaded(process, self._attend(process))
        self.alive = True

    def _attend(self, process: ModelProcess) -> Telemetry:
        """Watch the processes that hold the model now, from here on; ones that are watched already stay so."""
        if self._telemetry is not None and process.pid == self._attended:
            return self._telemetry
        self._attended = pid = process.pid
        tree = None if pid is None else ProcessTree(pid, process.mark, self._bench.starter.spawner.adopter)
        self._telemetry = Telemetry(self._bench.instruments, tree, process.helper)
        most_bytes = self.variant.limits.memory_bytes
        if pid is not None:
            let_go_first(pid)
            self._remove_fence()
            if most_bytes is not None:
                self._fence = MemoryFence.around(pid, f"{pid}", most_bytes)
        self._telemetry.begin()
        return self._telemetry

    def _await_loaded(self, process: ModelProcess, telemetry: Telemetry) -> None:
        watch = LimitsWatch(replace(self.variant.limits, run_s=None), None)
        while True:
            events = self._heard(process, watch.wait_s())
            if events is None:
                raise LoadError(self._ended_early(process, telemetry, "while loading"))
            watch.take(events)
            for event in events:
                if event.kind == "ready":
                    self.python = event.fields.get("python")
                elif event.kind == "packages":
                    self.loaded = packages_of(event)
                elif event.kind == "loaded":
                    if event.fields.get("error"):
                        status = OUT_OF_MEMORY if event.fields.get("out_of_memory") else FAILED
                        raise LoadError(Outcome(status, event.fields["error"]))
                    self.memory_before_bytes = event.fields.get("memory_before_bytes")
                    if process.load_is_timed:
                        self.load_s = max(0, event.at_ns - event.fields["began_ns"]) * NS
                    return
            if watch.look_is_due():
                watch.note(telemetry.look())
            outcome = self._asked_to_end() or watch.reached()
            if outcome is not None:
                process.stop(0)
                raise LoadError(replace(outcome, error=f"{outcome.error}, while loading"))

    def make_run(self, cell: Cell, out: MakingFolder, recording: Recording, one_step: bool = False) -> Outcome:
        """Have a run made; it ends by itself, or is ended when it reaches a limit or the user asks."""
        process = self._process
        assert process is not None, "only a started launch makes runs"
        self.log.mark()
        dropped = process.dropped_lines()
        watch = LimitsWatch(self.variant.limits, out, one_step)
        if process.pid is not None:
            watch.note(self._attend(process).begin())
        process.ask_to_run(cell, out)
        telemetry = self._attend(process)  # a program is started for this run only
        outcome = self._follow(process, recording, watch, telemetry)
        self._take(self._hearing.rest(monotonic_ns()), recording)
        telemetry.look()
        dropped = process.dropped_lines() - dropped
        if dropped:
            recording.note_fault("garbage", f"{counted(dropped, 'line')} in the place of events")
        self.alive = process.takes_runs
        return outcome

    def _follow(self, process: ModelProcess, recording: Recording, watch: LimitsWatch, telemetry: Telemetry) -> Outcome:
        while True:
            events = self._heard(process, watch.wait_s())
            if events is None:
                return self._ended_early(process, telemetry, "in the middle of the run")
            if events:
                self._take(events, recording)
                watch.take(events)
            if recording.end is not None:
                ended = self._as_ended(recording.end, process, telemetry)
                return (watch.gone_over() if ended.status == FINISHED else None) or ended
            if watch.look_is_due():
                look = telemetry.look()
                watch.note(look)
                self._tell(look, telemetry)
                self.log.keep_within_bounds()
            outcome = self._asked_to_end() or watch.reached()
            if outcome is not None:
                process.break_off()
                return outcome

    def _heard(self, process: ModelProcess, wait_s: float) -> list[Event] | None:
        """Wait for what comes next, and return it without secrets."""
        events = process.events(wait_s)
        return None if events is None else self._hearing.heard(events)

    def _take(self, events: list[Event], recording: Recording) -> None:
        self._bench.journal.pass_on([event.line for event in events if event.kind != "packages"])
        for event in events:
            if event.kind == "packages":
                self.loaded = packages_of(event)
            else:
                recording.take(event)

    def _tell(self, look: Look, telemetry: Telemetry) -> None:
        self._bench.journal.tell(
            Looked(
                memory_bytes=look.tree.memory_bytes,
                device_bytes=look.device_bytes,
                others_share=telemetry.others_share_now,
            )
        )

    def _ended_early(self, process: ModelProcess, telemetry: Telemetry, when: str) -> Outcome:
        """Tell why a process has ended that should not have."""
        telemetry.look()
        code = process.stop(0)
        if self._was_killed_for_memory(telemetry):
            return Outcome(OUT_OF_MEMORY, f"{NO_MEMORY}, {when}", code)
        return Outcome(FAILED, f"the process ended {when}, with {exit_words(code)}", code, is_from_outside(code))

    def _was_killed_for_memory(self, telemetry: Telemetry) -> bool:
        return telemetry.killed_for_memory() or (self._fence is not None and self._fence.has_killed())

    def _as_ended(self, end: Event, process: ModelProcess, telemetry: Telemetry) -> Outcome:
        status, code = end.fields["status"], end.fields.get("exit_code")
        if status == FINISHED:
            return Outcome(FINISHED, exit_code=code)
        error = end.fields.get("error") or "the script said that it failed"
        if code is None and not process.takes_runs:  # a server that has ended in the middle of an answer
            code = process.stop(0)
        if code is not None and code < 0:
            telemetry.look()
            if self._was_killed_for_memory(telemetry):
                return Outcome(OUT_OF_MEMORY, f"{NO_MEMORY}, in the middle of the run", code)
        return Outcome(OUT_OF_MEMORY if status == OUT_OF_MEMORY else FAILED, error, code, is_from_outside(code))

    def _asked_to_end(self) -> Outcome | None:
        if self._bench.interruption.stop:
            return Outcome(INTERRUPTED, "stopped by the user")
        if self._bench.interruption.skip_asked():
            return Outcome(SKIPPED, "skipped by the user")
        return None

    def machine(self) -> dict[str, Any]:
        """Return what telemetry saw during the latest run."""
        return self._telemetry.summary() if self._telemetry is not None else {}

    def end(self) -> None:
        """End the process and all that it started."""
        if self._process is not None:
            self._process.stop(STOP_PATIENCE_S if self.alive else 0)
        self._remove_fence()
        self.log.close()
        self.alive = False

    def _remove_fence(self) -> None:
        if self._fence is not None:
            self._fence.remove()
            self._fence = None
