"""A launch: one start of a variant's process, from loading to the end, within its limits."""

from dataclasses import dataclass
from pathlib import Path
from time import monotonic

from unvek.core.plan.cells import Cell
from unvek.core.plan.model import Limits, Variant
from unvek.core.run.events import Event
from unvek.core.run.interruption import Interruption
from unvek.core.run.journal import Journal
from unvek.core.run.printed import PrintedLog
from unvek.core.run.record import FAILED, FINISHED, INTERRUPTED, SKIPPED, STALLED, TIMED_OUT
from unvek.core.run.recording import NS, Recording
from unvek.core.run.runner import ModelProcess, Runner, RunnerError
from unvek.core.units import counted

LOOK_EVERY_S = 0.2  # the longest wait before limits and interruptions are looked at
STOP_PATIENCE_S = 3.0


@dataclass(frozen=True, slots=True)
class Outcome:
    """How a run ended: a status, what went wrong, and the exit code where the process ended with it."""

    status: str
    error: str | None = None
    exit_code: int | None = None


class LoadError(Exception):
    """The variant could not be loaded; the text says why."""


class Launch:
    """One process. `place` counts its runs; `alive` says whether it can take another."""

    def __init__(self, number: int, round_number: int, variant: Variant, log: Path, journal: Journal,
                 interruption: Interruption):  # fmt: skip
        self.number = number
        self.round = round_number
        self.variant = variant
        self.log = PrintedLog(log)
        self.place = 0
        self.alive = False
        self.load_s: float | None = None
        self.python: str | None = None
        self._process: ModelProcess | None = None
        self._journal = journal
        self._interruption = interruption

    @property
    def command(self) -> list[str] | None:
        return list(self._process.command) if self._process is not None else None

    def start(self, runner: Runner) -> None:
        """Start the process and have the variant loaded; LoadError where that does not come about."""
        try:
            self._process = runner.start(self.variant, self.log.path)
        except RunnerError as error:
            raise LoadError(str(error)) from error
        self._process.ask_to_load()
        self._await_loaded(self._process, self.variant.limits)
        self.alive = True

    def _await_loaded(self, process: ModelProcess, limits: Limits) -> None:
        quiet_since_s = monotonic()
        while True:
            events = process.events(LOOK_EVERY_S)
            if events is None:
                raise LoadError(f"the process ended while loading, with {exit_words(process.stop(0))}")
            for event in events:
                quiet_since_s = monotonic()
                if event.kind == "ready":
                    self.python = event.fields.get("python")
                elif event.kind == "loaded":
                    if event.fields.get("error"):
                        raise LoadError(event.fields["error"])
                    self.load_s = max(0, event.at_ns - event.fields["began_ns"]) * NS
                    return
            if self._interruption.stop or self._interruption.skip_asked():
                raise LoadError("stopped by the user while loading")
            if limits.stall_s is not None and monotonic() - quiet_since_s > limits.stall_s:
                raise LoadError(f"nothing came for {limits.stall_s:g} s while loading (limits.stall)")

    def make_run(self, cell: Cell, out: Path, recording: Recording) -> Outcome:
        """Have a run made; it ends by itself, or is ended when it reaches a limit or the user asks."""
        assert self._process is not None, "only a started launch makes runs"
        self.log.mark()
        dropped = self._process.dropped_lines()
        self._process.ask_to_run(cell, out)
        outcome = self._follow(self._process, recording, self.variant.limits)
        dropped = self._process.dropped_lines() - dropped
        if dropped:
            recording.note_fault("garbage", f"{counted(dropped, 'line')} in the place of events")
        if recording.end is None:
            self.alive = False
        return outcome

    def _follow(self, process: ModelProcess, recording: Recording, limits: Limits) -> Outcome:
        asked_s = quiet_since_s = looked_s = monotonic()
        while True:
            events = process.events(_wait_s(asked_s, quiet_since_s, limits))
            now_s = monotonic()
            if events is None:
                code = process.stop(0)
                return Outcome(FAILED, f"the process ended in the middle of the run, with {exit_words(code)}", code)
            if events:
                quiet_since_s = now_s
                self._journal.pass_on([event.line for event in events])
            for event in events:
                recording.take(event)
            if recording.end is not None:
                return _as_ended(recording.end)
            if now_s - looked_s >= LOOK_EVERY_S:
                looked_s = now_s
                self.log.keep_within_bounds()
            outcome = self._reason_to_end(now_s - asked_s, now_s - quiet_since_s, limits)
            if outcome is not None:
                process.stop(0)
                return outcome

    def _reason_to_end(self, run_s: float, quiet_s: float, limits: Limits) -> Outcome | None:
        if self._interruption.stop:
            return Outcome(INTERRUPTED, "stopped by the user")
        if self._interruption.skip_asked():
            return Outcome(SKIPPED, "skipped by the user")
        if limits.run_s is not None and run_s >= limits.run_s:
            return Outcome(TIMED_OUT, f"took longer than {limits.run_s:g} s (limits.run)")
        if limits.stall_s is not None and quiet_s >= limits.stall_s:
            return Outcome(STALLED, f"nothing came for {limits.stall_s:g} s (limits.stall)")
        return None

    def end(self) -> None:
        """End the process and all that it started."""
        if self._process is not None:
            self._process.stop(STOP_PATIENCE_S if self.alive else 0)
        self.alive = False


def _wait_s(asked_s: float, quiet_since_s: float, limits: Limits) -> float:
    """How long to wait for the next event: until the nearest limit, and never longer than LOOK_EVERY_S."""
    now_s = monotonic()
    waits_s = [LOOK_EVERY_S]
    if limits.run_s is not None:
        waits_s.append(asked_s + limits.run_s - now_s)
    if limits.stall_s is not None:
        waits_s.append(quiet_since_s + limits.stall_s - now_s)
    return max(0.001, min(waits_s))


def _as_ended(end: Event) -> Outcome:
    if end.fields["status"] == FINISHED:
        return Outcome(FINISHED)
    return Outcome(FAILED, end.fields.get("error") or "the script said that it failed")


def exit_words(code: int | None) -> str:
    """Word an exit code as Python gives it: negative for a signal."""
    if code is None:
        return "an unknown exit code"
    return f"signal {-code}" if code < 0 else f"exit code {code}"
