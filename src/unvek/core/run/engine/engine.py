"""The engine: makes a plan's runs, round by round, and hands each to the keeper the moment it ends.

The order of things, the replacing of a process that died and the telling of the journal stand here, once, for
every kind of runner; what happens within one process is a Launch's.
"""

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from time import monotonic, monotonic_ns, sleep

from unvek.core.ask.secrets import Secrets
from unvek.core.errors import UnvekError
from unvek.core.plain_text import clean
from unvek.core.plan.cells import Cell, order_of_round
from unvek.core.plan.model import Plan, Variant
from unvek.core.plan.runners import PYTHON
from unvek.core.rig.telemetry import LOOK_EVERY_S
from unvek.core.run.engine.bench import Assignment, Bench
from unvek.core.run.engine.failing import Failing
from unvek.core.run.engine.launch import Launch, LoadError
from unvek.core.run.engine.limits import Outcome
from unvek.core.run.engine.outputs_said import in_order, said_of
from unvek.core.run.events.record import (
    FAILED,
    FAILURES,
    FINISHED,
    INTERRUPTED,
    MEASURED,
    SIMULATED,
    SKIPPED,
    LaunchAbout,
    Progress,
    Provenance,
    RunRecord,
    RunStart,
    Slot,
)
from unvek.core.run.events.recording import Recording
from unvek.core.run.events.sieve import REFUSED, Sieve
from unvek.core.run.journal.entries import GoesOn, LaunchBegins, NotLoaded, Over, Paused, RunBegins, RunKept
from unvek.core.run.outputs_room import MakingFolder, OutputFile
from unvek.core.run.processes.family import adopt_orphans
from unvek.core.units import bytes_words

LOAD_TRIES = 2
MUCH_PRINTED = 256 * 2**10  # bytes in one run: some ten thousand lines
PROMPT_SHOWN = 200  # characters, to whoever watches


@dataclass(frozen=True, slots=True)
class PendingRun:
    """A run that has still to be made."""

    slot: Slot
    cell: Cell


Done = Callable[[tuple[Cell, ...], int], set[Slot]]


def pending_groups(plan: Plan, cells: tuple[Cell, ...], done: Done) -> Iterator[list[PendingRun]]:
    """Yield what has still to be run, round by round and variant by variant, in the order of the engine.

    `done` is asked for the slots that one variant's cells have filled in a round, as late as can be: a plan may be
    longer than memory would hold.
    """
    by_variant: dict[str, list[Cell]] = {variant.name: [] for variant in plan.variants}
    for cell in cells:
        by_variant[cell.variant.name].append(cell)
    schedule = plan.schedule
    for round_number in range(1, schedule.rounds + 1):
        for name in order_of_round(tuple(by_variant), schedule.order, schedule.shuffle_seed, round_number):
            filled = done(tuple(by_variant[name]), round_number)
            slots = (
                PendingRun(Slot(cell_key=cell.key, round=round_number, repeat=repeat), cell)
                for repeat in range(1, schedule.repeats + 1)
                for cell in by_variant[name]
            )
            group = [pending for pending in slots if pending.slot not in filled]
            if group:
                yield group


class Engine:
    """Makes the pending runs of one plan."""

    def __init__(self, bench: Bench, assignment: Assignment):
        self._bench = bench
        self._assignment = assignment
        self._plan = assignment.plan
        self._journal, self._interruption = bench.journal, bench.interruption
        self._remaining = assignment.remaining
        self._load_errors: dict[str, list[LoadError]] = {}
        self._given_up: set[str] = set()
        self._failing: dict[str, Failing] = defaultdict(Failing)
        self._sieve = Sieve(self._plan.measures, bench.most_bytes)
        self._again: set[tuple[Slot, bool]] = set()  # runs that were ended from outside, and are made again once
        self.told: dict[tuple[str, str], str] = {}  # what is to be said of what runs told, each thing once

    def make(self, groups: Iterable[list[PendingRun]]) -> None:
        """Make the runs. Returns when all are made, or when the user has asked to stop."""
        adopt_orphans()
        for runs in groups:
            if self._interruption.no_more():
                break
            self._make_group(runs)
        self._journal.tell(Over(stopped=self._interruption.no_more()))

    def _make_group(self, runs: list[PendingRun]) -> None:
        """Make the runs of one variant in one round: in one launch, if nothing goes wrong."""
        variant, round_number = runs[0].cell.variant, runs[0].slot.round
        warmups, cells = self._plan.schedule.warmups, len({run.cell.key for run in runs})
        while runs and not self._interruption.no_more():
            if len(self._load_errors.get(variant.name, ())) >= LOAD_TRIES:
                self._give_up(variant, round_number, runs)
                return
            if self._failing[variant.name].is_hopeless(cells):
                self._leave_out(variant, round_number, runs)
                return
            self._remaining.launch_begins(variant.name)
            launch = self._open(variant, round_number)
            try:
                self._start(launch, runs)
                for _ in range(warmups if launch.alive else 0):
                    if launch.alive and self._goes_on() and self._make_run(launch, runs[0], warm_up=True):
                        break
                else:
                    if launch.place and not launch.alive:
                        warmups = 0  # a warm-up that ends its process might do so for ever: let the runs show it
                while runs and launch.alive and self._goes_on():
                    if not self._make_run(launch, runs[0], warm_up=False):
                        runs.pop(0)
            finally:
                launch.end()
            self._wait(self._plan.schedule.pause_s)

    def _goes_on(self) -> bool:
        """Whether another run may begin; waits for as long as the user has asked for a pause."""
        if not self._interruption.no_more() and self._interruption.paused:
            self._journal.tell(Paused())
            while self._interruption.paused and not self._interruption.no_more():
                sleep(LOOK_EVERY_S)
            self._journal.tell(GoesOn())
        return not self._interruption.no_more()

    def _open(self, variant: Variant, round_number: int) -> Launch:
        number = self._bench.keeper.open_launch(variant.name, round_number)
        secrets = Secrets(self._plan.runner_of(variant).secrets)
        return Launch(self._bench, number, round_number, variant, secrets)

    def _start(self, launch: Launch, runs: list[PendingRun]) -> None:
        """Have the launch load its variant; one that does not is noted, and stays not alive."""
        name, error = launch.variant.name, None
        self._journal.tell(
            LaunchBegins(launch=launch.number, variant=name, round=launch.round, log=str(launch.log.path))
        )
        try:
            launch.start()
            self._load_errors.pop(name, None)
            self._bench.forecaster.learn_load(name, launch.load_s or 0.0)
        except LoadError as failure:
            error = str(failure)
            self._journal.tell(NotLoaded(launch=launch.number, variant=name, error=error))
            if failure.status == SKIPPED:
                self._keep_unmade(launch, runs.pop(0), Outcome(SKIPPED, error))
            elif failure.status in FAILURES:
                self._load_errors.setdefault(name, []).append(failure)
        self._describe(launch, error)

    def _describe(self, launch: Launch, error: str | None = None) -> None:
        about = LaunchAbout(
            command=launch.command,
            python=launch.python,
            packages=launch.loaded.get("versions"),
            modules=launch.loaded.get("modules"),
            threads=launch.loaded.get("threads"),
            memory_before_bytes=launch.memory_before_bytes,
            log_tail=launch.log.tail() if error else "",
        )
        self._bench.keeper.describe_launch(launch.number, launch.load_s, error, about)

    def _give_up(self, variant: Variant, round_number: int, runs: list[PendingRun]) -> None:
        """File one run of a variant that can't be loaded as failed, and all its others as skipped."""
        failure = self._load_errors[variant.name][-1]
        error = f"{variant.name} could not be loaded in {LOAD_TRIES} tries: {failure}"
        first = SKIPPED if variant.name in self._given_up else failure.status
        self._given_up.add(variant.name)
        self._file_unmade(variant, round_number, runs, error, first)

    def _leave_out(self, variant: Variant, round_number: int, runs: list[PendingRun]) -> None:
        """File the runs of a variant as skipped of which every run in two launches has failed alike."""
        failing = self._failing[variant.name]
        error = f"left out: every run of {variant.name} in {len(failing.launches)} launches {failing.error}"
        self._file_unmade(variant, round_number, runs, error, SKIPPED)

    def _file_unmade(self, variant: Variant, round_number: int, runs: list[PendingRun], error: str, first: str) -> None:
        """File runs that are not made under a launch that was none: the first with this status, the others skipped."""
        launch = self._open(variant, round_number)
        self._bench.keeper.describe_launch(launch.number, None, error, LaunchAbout())
        status = first
        while runs:
            self._keep_unmade(launch, runs.pop(0), Outcome(status, error))
            status = SKIPPED

    def _make_run(self, launch: Launch, run: PendingRun, warm_up: bool) -> bool:
        """Make a run and keep it; whether it is to be made again."""
        launch.place += 1
        cell, start = run.cell, self._start_of(launch, run, warm_up)
        out = self._bench.keeper.make_folder(launch.number, launch.place)
        forecast = self._bench.forecaster.of_run(cell, cold=launch.place == 1)
        steps = cell.settings.get("steps")
        self._journal.tell(
            RunBegins(
                start=start, steps=steps if isinstance(steps, int) else None, prompt=cell.task.prompt[:PROMPT_SHOWN],
                memory_limit_bytes=cell.variant.limits.memory_bytes,
                forecast_s=(forecast.low_s, forecast.high_s) if forecast is not None else None,
                left_s=self._remaining.time_left_s(self._bench.forecaster),
            )
        )  # fmt: skip
        recording, loaded = Recording(launch.total_includes_load), launch.loaded
        asked_s = monotonic()
        outcome = self._followed(launch, cell, out, recording)
        stopped_ns = monotonic_ns()
        if launch.loaded != loaded:  # something was imported during the run
            self._describe(launch)
        is_again = outcome.from_outside and (run.slot, warm_up) not in self._again
        if outcome.from_outside:
            self._again.add((run.slot, warm_up))
            how = (INTERRUPTED, "made again") if is_again else (FAILED, "for the second time")
            outcome = replace(outcome, status=how[0], error=f"{outcome.error}, from outside: {how[1]}")
        taken = self._bench.keeper.take_outputs(out, start, launch.secrets.hide if launch.secrets else None)
        for note in taken.refused:
            recording.note_fault(REFUSED, note)
        if taken.error is not None:
            recording.note_fault(REFUSED, taken.error)
            outcome = Outcome(FAILED, taken.error) if outcome.status == FINISHED else outcome
        files = in_order(taken.files, recording.outputs)
        if self._plan.runner_of(cell.variant).kind == PYTHON:
            self.told |= dict(said_of(cell.variant.name, files, recording.outputs))
        if (printed := launch.log.printed_bytes) > MUCH_PRINTED:
            self.told[cell.variant.name, "prints"] = (
                f"{cell.variant.name} printed {bytes_words(printed)} in a run: printing takes time, which is the run's."
            )
        sifted = self._sieve.sift(recording.progress(stopped_ns))
        self.told |= sifted.words
        progress = sifted.progress
        start = replace(start, started_at=_started_at(progress.time_s))
        record = self._record(launch, run, start, outcome, progress)
        record = replace(record, log_tail=launch.log.tail(), machine=launch.machine(), forecast=forecast)
        self._keep(record, files)
        self._failing[cell.variant.name].take(launch.number, cell.key, record.status, record.error)
        if outcome.status == FINISHED and progress.time_s is not None:
            time_s = progress.time_s
            self._bench.forecaster.learn(cell.key, cell.variant.name, recording.steps, time_s, cold=launch.place == 1)
            self._remaining.learn_between(monotonic() - asked_s - time_s)
        return is_again

    def _followed(self, launch: Launch, cell: Cell, out: MakingFolder, recording: Recording) -> Outcome:
        """Have a run made. What goes wrong on this side of it ends it, and no other."""
        try:
            return launch.make_run(cell, out, recording, self._assignment.one_step)
        except (UnvekError, OSError):
            raise  # of the disk: nothing could be kept any more
        except Exception as error:
            launch.end()
            return Outcome(FAILED, f"the run could not be followed: {_words_of(error)}")

    def _keep_unmade(self, launch: Launch, run: PendingRun, outcome: Outcome) -> None:
        """Keep a run that could not begin."""
        self._keep(self._record(launch, run, self._start_of(launch, run, False), outcome, Progress()))

    def _start_of(self, launch: Launch, run: PendingRun, warm_up: bool) -> RunStart:
        cell, slot = run.cell, run.slot
        return RunStart(
            cell=slot.cell_key,
            round=slot.round,
            repeat=slot.repeat,
            launch=launch.number,
            place=launch.place,
            warm_up=warm_up,
            variant=cell.variant.name,
            form=cell.variant.form,
            task=cell.task.name,
            seed=cell.seed,
            settings=cell.settings,
            varied={**cell.varied, **self._assignment.varied},
            started_at=_started_at(None),
            source=self._source(cell.variant),
            trial=self._assignment.trial,
        )

    def _record(
        self, launch: Launch, run: PendingRun, start: RunStart, outcome: Outcome, progress: Progress
    ) -> RunRecord:
        return RunRecord(
            start=start,
            limits=run.cell.variant.limits.as_mapping(),
            status=outcome.status,
            error=outcome.error,
            progress=progress,
            exit_code=outcome.exit_code,
            provenance=self._provenance(run.cell, launch),
        )

    def _keep(self, record: RunRecord, outputs: Sequence[OutputFile] = ()) -> None:
        """Hand a run over to be kept, and say so. One that can't be kept as it was told is filed as failed."""
        keeper = self._bench.keeper
        try:
            number = keeper.keep_run(record, outputs)
        except (UnvekError, OSError):
            raise  # of the disk: no other could be kept either
        except Exception as error:
            why = f"what it told could not be kept: {_words_of(error)}"
            record = RunRecord(
                start=record.start, limits=record.limits, status=FAILED, error=why,
                progress=Progress(time_s=record.progress.time_s), exit_code=record.exit_code,
                provenance=record.provenance,
            )  # fmt: skip
            number = keeper.keep_run(record, outputs)
        start, progress = record.start, record.progress
        if record.status != INTERRUPTED:
            self._remaining.run_is_made(start.variant, start.warm_up)
        self._journal.tell(
            RunKept(
                run=number, launch=start.launch, place=start.place, variant=start.variant, task=start.task,
                seed=start.seed, round=start.round, repeat=start.repeat, warm_up=start.warm_up, varied=start.varied,
                status=record.status, error=record.error, time_s=progress.time_s, steps=progress.steps,
                tokens=progress.tokens, memory_peak_bytes=record.memory_peak_bytes,
            )
        )  # fmt: skip

    def _provenance(self, cell: Cell, launch: Launch) -> Provenance:
        runner = self._plan.runner_of(cell.variant)
        return Provenance(
            runner=runner.kind,
            command=launch.command,
            python=launch.python,
            script=self._assignment.sources.of_runner(runner),
            environment=runner.environment,
            files=self._assignment.sources.of_variant(cell.variant),
            total_includes_load=launch.total_includes_load,
            precision=cell.variant.precision,
        )

    def _source(self, variant: Variant) -> str:
        """Where a variant's figures are from: of a stand-in they are simulated, whatever part of it that is."""
        runner = self._plan.runner_of(variant)
        return SIMULATED if runner.is_stand_in or self._bench.instruments.simulated else MEASURED

    def _wait(self, seconds: float) -> None:
        until_s = monotonic() + seconds
        while monotonic() < until_s and not self._interruption.no_more():
            sleep(min(LOOK_EVERY_S, max(0.0, until_s - monotonic())))


def _words_of(error: Exception) -> str:
    return clean(f"{type(error).__name__}: {error}", 500)


def _started_at(ago_s: float | None) -> str:
    """Return the time of day, in UTC, at which something began that lasted so long until now."""
    now_s = datetime.now(UTC).timestamp() - (ago_s or 0.0)
    return datetime.fromtimestamp(now_s, UTC).isoformat(timespec="milliseconds")
