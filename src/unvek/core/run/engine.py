"""The engine: makes a plan's runs, round by round, and hands each to the keeper the moment it ends.

The order of things, the replacing of a process that died and the telling of the journal stand here, once, for
every kind of runner; what happens within one process is a Launch's.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from time import monotonic, monotonic_ns, sleep
from typing import Any, Protocol

from unvek.core.plan.cells import Cell, Sources, order_of_round
from unvek.core.plan.model import Plan, Variant
from unvek.core.run.family import adopt_orphans
from unvek.core.run.interruption import Interruption
from unvek.core.run.journal import Journal
from unvek.core.run.launch import LOOK_EVERY_S, Launch, LoadError, Outcome
from unvek.core.run.record import FAILED, SKIPPED, RunRecord, Slot
from unvek.core.run.recording import Recording
from unvek.core.run.runner import Runner

LOAD_TRIES = 2


class Keeper(Protocol):
    """Where launches and runs are kept. A run handed over is safe when `keep_run` returns."""

    def open_launch(self, variant: str, round_number: int) -> int:
        """Note that a process is about to be started, and return the launch's number."""

    def close_launch(self, number: int, load_s: float | None, error: str | None, about: Mapping[str, Any]) -> None:
        """Note how a launch went."""

    def keep_run(self, run: RunRecord, made: Path | None) -> int:
        """Keep a run with the outputs that lie in the folder `made`, and return its number."""

    def log_path(self, launch: int) -> Path:
        """Return where what a launch prints is to go."""

    def making_path(self, launch: int, place: int) -> Path:
        """Return a new, empty folder for a run's outputs."""


@dataclass(frozen=True, slots=True)
class PendingRun:
    """A run that has still to be made."""

    slot: Slot
    cell: Cell


def pending_runs(plan: Plan, cells: tuple[Cell, ...], done: set[Slot]) -> list[PendingRun]:
    """Return what has still to be run, in the order in which the engine will run it."""
    by_variant: dict[str, list[Cell]] = {variant.name: [] for variant in plan.variants}
    for cell in cells:
        by_variant[cell.variant.name].append(cell)
    schedule = plan.schedule
    slots = (
        PendingRun(Slot(cell_key=cell.key, round=round_number, repeat=repeat), cell)
        for round_number in range(1, schedule.rounds + 1)
        for name in order_of_round(tuple(by_variant), schedule.order, schedule.shuffle_seed, round_number)
        for repeat in range(1, schedule.repeats + 1)
        for cell in by_variant[name]
    )
    return [pending for pending in slots if pending.slot not in done]


class Engine:
    """Makes the pending runs of one plan."""

    def __init__(self, plan: Plan, sources: Sources, runner: Runner, keeper: Keeper, journal: Journal,
                 interruption: Interruption):  # fmt: skip
        self._plan = plan
        self._sources = sources
        self._runner = runner
        self._keeper = keeper
        self._journal = journal
        self._interruption = interruption
        self._load_errors: dict[str, list[str]] = {}
        self._given_up: set[str] = set()

    def make(self, pending: list[PendingRun]) -> None:
        """Make the runs. Returns when all are made, or when the user has asked to stop."""
        adopt_orphans()
        for runs in _by_round_and_variant(pending):
            if self._interruption.stop:
                break
            self._make_round_of_variant(runs)
        self._journal.tell("over", stopped=self._interruption.stop)

    def _make_round_of_variant(self, runs: list[PendingRun]) -> None:
        variant, round_number = runs[0].cell.variant, runs[0].slot.round
        warmups = self._plan.schedule.warmups
        while runs and not self._interruption.stop:
            if len(self._load_errors.get(variant.name, ())) >= LOAD_TRIES:
                self._give_up(variant, round_number, runs)
                return
            launch = self._open(variant, round_number)
            try:
                self._start(launch)
                for _ in range(warmups if launch.alive else 0):
                    if launch.alive and not self._interruption.stop:
                        self._make_run(launch, runs[0], warm_up=True)
                if launch.place and not launch.alive:
                    warmups = 0  # a warm-up that ends its process might do so for ever: let the runs show it
                while runs and launch.alive and not self._interruption.stop:
                    self._make_run(launch, runs.pop(0), warm_up=False)
            finally:
                launch.end()
            self._pause()

    def _open(self, variant: Variant, round_number: int) -> Launch:
        number = self._keeper.open_launch(variant.name, round_number)
        return Launch(number, round_number, variant, self._keeper.log_path(number), self._journal, self._interruption)

    def _start(self, launch: Launch) -> None:
        """Have the launch load its variant; one that does not is noted, and stays not alive."""
        name, error = launch.variant.name, None
        self._journal.tell("launch", launch=launch.number, variant=name, round=launch.round, log=str(launch.log.path))
        try:
            launch.start(self._runner)
            self._load_errors.pop(name, None)
        except LoadError as failure:
            error = str(failure)
            if not self._interruption.stop:
                self._load_errors.setdefault(name, []).append(error)
            self._journal.tell("unloaded", launch=launch.number, variant=name, error=error)
        about = {"command": launch.command, "python": launch.python, "log_tail": launch.log.tail() if error else ""}
        self._keeper.close_launch(launch.number, launch.load_s, error, about)

    def _give_up(self, variant: Variant, round_number: int, runs: list[PendingRun]) -> None:
        """File one run of a variant that can't be loaded as failed, and all its others as skipped."""
        error = f"{variant.name} could not be loaded in {LOAD_TRIES} tries: {self._load_errors[variant.name][-1]}"
        launch = self._open(variant, round_number)
        self._keeper.close_launch(launch.number, None, error, {})
        while runs:
            status = SKIPPED if variant.name in self._given_up else FAILED
            self._given_up.add(variant.name)
            self._keep(launch, runs.pop(0), False, Recording(), Outcome(status, error), None)

    def _make_run(self, launch: Launch, run: PendingRun, warm_up: bool) -> None:
        launch.place += 1
        cell, slot = run.cell, run.slot
        out = self._keeper.making_path(launch.number, launch.place)
        self._journal.tell(
            "run", launch=launch.number, variant=cell.variant.name, task=cell.task.name, seed=cell.seed,
            round=slot.round, repeat=slot.repeat, warm_up=warm_up, steps=cell.settings.get("steps"),
            prompt=cell.task.prompt[:200],
        )  # fmt: skip
        recording = Recording()
        outcome = launch.make_run(cell, out, recording)
        self._keep(launch, run, warm_up, recording, outcome, out)

    def _keep(self, launch: Launch, run: PendingRun, warm_up: bool, recording: Recording, outcome: Outcome,
              made: Path | None) -> None:  # fmt: skip
        cell, slot = run.cell, run.slot
        progress = recording.progress(stopped_ns=monotonic_ns())
        record = RunRecord(
            slot=slot,
            launch=launch.number,
            place=launch.place,
            warm_up=warm_up,
            variant=cell.variant.name,
            form=cell.variant.form,
            task=cell.task.name,
            seed=cell.seed,
            settings=cell.settings,
            limits=cell.variant.limits.as_mapping(),
            status=outcome.status,
            error=outcome.error,
            started_at=_started_at(progress.time_s),
            progress=progress,
            exit_code=outcome.exit_code,
            log_tail=launch.log.tail() if made is not None else "",
            provenance=self._provenance(cell, launch),
        )
        number = self._keeper.keep_run(record, made)
        self._journal.tell(
            "kept", run=number, launch=launch.number, variant=record.variant, task=record.task, seed=record.seed,
            round=slot.round, repeat=slot.repeat, warm_up=warm_up, status=record.status, error=record.error,
            time_s=progress.time_s, steps=len(progress.step_times_s), memory_peak_bytes=progress.memory_peak_bytes,
        )  # fmt: skip

    def _provenance(self, cell: Cell, launch: Launch) -> dict[str, Any]:
        runner = self._plan.runners[cell.variant.runner]
        return {
            "command": launch.command,
            "python": launch.python,
            "script": {str(runner.script): self._sources.scripts[runner.name]},
            "files": self._sources.of_variant(cell.variant),
            "total_includes_load": False,
        }

    def _pause(self) -> None:
        until_s = monotonic() + self._plan.schedule.pause_s
        while monotonic() < until_s and not self._interruption.stop:
            sleep(min(LOOK_EVERY_S, max(0.0, until_s - monotonic())))


def _by_round_and_variant(pending: list[PendingRun]) -> Iterator[list[PendingRun]]:
    groups: dict[tuple[int, str], list[PendingRun]] = {}
    for run in pending:
        groups.setdefault((run.slot.round, run.cell.variant.name), []).append(run)
    yield from groups.values()


def _started_at(ago_s: float | None) -> str:
    """Return the time of day, in UTC, at which something began that lasted so long until now."""
    now_s = datetime.now(UTC).timestamp() - (ago_s or 0.0)
    return datetime.fromtimestamp(now_s, UTC).isoformat(timespec="milliseconds")
