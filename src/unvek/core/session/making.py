"""One `run` from beginning to end: a plan's pending runs, made by the engine, kept in the logbook."""

import shutil
from collections import deque
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from itertools import islice
from pathlib import Path
from time import monotonic

from unvek.core.findings.changes import changed_files
from unvek.core.logbook.database import told_of_disk
from unvek.core.logbook.folder import LogbookFolder
from unvek.core.logbook.outlook import learned
from unvek.core.logbook.recovery import recover_run
from unvek.core.logbook.store import Logbook
from unvek.core.plan.cells import Cell, Sources, cells_of, read_sources, weights_bytes
from unvek.core.plan.model import Plan
from unvek.core.rig.facts import RigFacts
from unvek.core.rig.present import accelerators_present
from unvek.core.rig.telemetry import Instruments
from unvek.core.run.asks import AskReader
from unvek.core.run.engine import Engine, PendingRun, Setting
from unvek.core.run.entries import Entry, PlanBegins, RunKept
from unvek.core.run.family import end_leftovers
from unvek.core.run.forecast import Forecaster
from unvek.core.run.interruption import Interruption
from unvek.core.run.journal import Journal, Listener, journal_name
from unvek.core.run.memory_fence import remove_stale_fences
from unvek.core.run.record import FAILURES
from unvek.core.run.runners.kinds import Runners
from unvek.core.run.told import Sieve, most_bytes_of
from unvek.core.run.turn import Holder, Turn, taking_turn
from unvek.core.session.rounds import RoundsToMake, Standing
from unvek.core.units import counted

RUN, TRY = "run", "try"  # what a session was made by
MOST_EARLIER = 5000  # earlier runs that the journal tells a new viewer of


@dataclass(frozen=True, slots=True, kw_only=True)
class Made:
    """What came of a `run`: how many were to be made and were, how many of these failed, and whether it was stopped.

    session is None where there was nothing to make. told is what is to be said of what the runs told: numbers under
    names that are not theirs to give, and such as can't be.
    """

    planned: int
    already: int
    made: int
    failed: int
    stopped: bool
    session: str | None
    told: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Wishes:
    """How a user wants the runs to be made, and who hears of it.

    name is what the session is called. listener hears the journal's entries in this process; on_journal is called with
    the journal's path before the first run; tell hears of what takes long; on_wait hears who holds the machine.
    """

    name: str | None = None
    afresh: bool = False
    wait: bool = False
    keep_going: bool = False
    listener: Listener | None = None
    on_journal: Callable[[Path], None] | None = None
    tell: Callable[[str], None] | None = None
    on_wait: Callable[[Holder], None] | None = None


@dataclass(frozen=True, slots=True)
class Bench:
    """Everything that runs are made with, held for as long as they are being made."""

    logbook: Logbook
    instruments: Instruments
    rig: RigFacts
    runners: Runners
    interruption: Interruption
    turn: Turn
    most_bytes: int  # more than the machine holds anything in


@contextmanager
def held_bench(plan: Plan, logbook_path: Path, wishes: Wishes) -> Iterator[Bench]:
    """Hold the machine and the logbook, and put them in order.

    Must be used in the main thread, whose signals it takes. Raises LogbookError where the logbook can't be used,
    MachineBusyError where runs are being made on this machine already.
    """
    interruption = Interruption(wishes.keep_going)
    folder = LogbookFolder(logbook_path)
    folder.make()
    with ExitStack() as stack:
        turn = stack.enter_context(taking_turn(plan.title, wishes.wait, wishes.on_wait))
        stack.enter_context(folder.locked())
        logbook = stack.enter_context(Logbook.make_or_open(logbook_path))
        stack.enter_context(interruption.watching())
        end_leftovers()
        remove_stale_fences()
        present = stack.enter_context(accelerators_present(plan.rig))
        most_bytes = most_bytes_of(present.rig.as_mapping(), shutil.disk_usage(folder.path).total)
        recover_run(logbook, Sieve(plan.measures, most_bytes))
        logbook.folder.clear_unfinished()
        instruments = Instruments(present.accelerators, plan.rig.watts)
        stack.callback(instruments.close)
        logbook.record_rig(present.rig.fingerprint, present.rig.as_mapping())
        runners = Runners(plan.runners, present.environment)
        yield Bench(logbook, instruments, present.rig, runners, interruption, turn, most_bytes)


def make_runs(plan: Plan, logbook_path: Path, wishes: Wishes | None = None) -> Made:
    """Make every run of the plan that the logbook does not hold yet, and say what came of it.

    With `afresh` the plan's runs so far are voided, and all are made anew. Raises as `held_bench` does.
    """
    wishes = wishes or Wishes()
    sources = read_sources(plan, wishes.tell)
    cells = cells_of(plan, sources)
    with held_bench(plan, logbook_path, wishes) as bench:
        logbook, rig = bench.logbook, bench.rig.fingerprint
        if wishes.tell is not None:
            _tell_doubts(plan, sources, cells, bench, wishes.tell)
        forecaster = learned(logbook)
        if wishes.afresh:
            logbook.void_slots({cell.key for cell in cells}, "started afresh")
        weights = {variant.name: weights_bytes(variant) for variant in plan.variants}
        logbook.record_plan(plan, [cell.key for cell in cells], weights)
        rounds = RoundsToMake(plan, cells, logbook, rig)
        remaining, pending = rounds.remaining, rounds.pending
        forecast = remaining.time_left_s(forecaster) if pending else None
        number = logbook.record_forecast(plan.title, pending, *forecast) if forecast is not None else None
        session = logbook.begin_session(RUN, wishes.name) if pending else None
        began_s = monotonic()
        with begun_journal(bench, wishes, rounds.standing, cells, forecast) as (journal, tally):
            engine = Engine(
                plan, sources, bench.runners, logbook, journal, bench.interruption,
                Setting(instruments=bench.instruments, forecaster=forecaster, most_bytes=bench.most_bytes), remaining,
            )  # fmt: skip
            engine.make(_groups(rounds, journal, forecaster, bench.interruption))
        logbook.end_session()
        stopped = bench.interruption.no_more()
        if number is not None and tally.made == pending and not stopped:
            logbook.close_forecast(number, monotonic() - began_s)
        return Made(
            planned=rounds.planned, already=rounds.planned - rounds.pending, made=tally.made, failed=tally.failed,
            stopped=stopped, session=session.name if session is not None else None, told=tuple(engine.told.values()),
        )  # fmt: skip


def _groups(
    rounds: RoundsToMake, journal: Journal, forecaster: Forecaster, interruption: Interruption
) -> Iterator[list[PendingRun]]:
    """Yield the runs to make; where it takes more rounds to settle, the journal is told, and they go on."""
    yield from rounds.groups()
    while not interruption.no_more() and rounds.grown():
        if journal.begin_again is not None:
            journal.tell(replace(journal.begin_again(), left_s=rounds.remaining.time_left_s(forecaster)))
        yield from rounds.groups()


def _tell_doubts(
    plan: Plan, sources: Sources, cells: tuple[Cell, ...], bench: Bench, tell: Callable[[str], None]
) -> None:
    """Say which files are not what they were, and what was made on another rig, before anything is made."""
    for change in changed_files(bench.logbook, plan, sources):
        tell(change.words)
    elsewhere = bench.logbook.done_elsewhere(cells, bench.rig.fingerprint)
    if elsewhere:
        tell(f"{counted(elsewhere, 'run')} made on another rig: not counted on this one, and made again")


@contextmanager
def begun_journal(
    bench: Bench,
    wishes: Wishes,
    standing: Callable[[], Standing],
    cells: tuple[Cell, ...],
    forecast_s: tuple[float, float] | None = None,
) -> Iterator[tuple[Journal, "Tally"]]:
    """Open the journal, tell it where things stand, and turn what goes wrong with the disk into words."""
    folder = bench.logbook.folder
    tally = Tally(wishes.listener)
    try:
        journal = Journal(folder.journal / journal_name(datetime.now(UTC).isoformat()), tally.hear)
        asks = AskReader(journal.path.with_suffix(".asks"))
        try:
            bench.interruption.listen(asks)
            journal.begin_again = lambda: _beginning(bench, standing(), cells, asks.path.name)
            journal.tell(replace(journal.begin_again(), left_s=forecast_s))
            bench.turn.tell_journal(journal.path)
            if wishes.on_journal is not None:
                wishes.on_journal(journal.path)
            yield journal, tally
        finally:
            asks.close()
            journal.close()
    except OSError as error:
        raise told_of_disk(folder.path, error) from error


def _beginning(bench: Bench, standing: Standing, cells: tuple[Cell, ...], asks: str) -> PlanBegins:
    """Tell a viewer where things stand."""
    plan = standing.plan
    keys = {cell.key for cell in cells}
    seen = (seen for seen in bench.logbook.seen_runs(newest_first=True) if seen.cell in keys)
    earlier = tuple((run.variant, run.time_s, run.status, run.warm_up) for run in islice(seen, MOST_EARLIER))
    return PlanBegins(
        title=plan.title,
        path=str(plan.path),
        reference=plan.reference,
        variants=tuple((variant.name, variant.form) for variant in plan.variants),
        rounds=plan.schedule.rounds,
        planned=standing.planned,
        pending=standing.remaining.runs_by_variant,
        earlier=earlier[::-1],
        rig=bench.rig.as_mapping(),
        asks=asks,
    )


class Tally:
    """Counts the measured runs as they are kept, and passes every entry on."""

    def __init__(self, listener: Listener | None):
        self.made = self.failed = 0
        self.numbers: deque[int] = deque(maxlen=MOST_EARLIER)
        self._listener = listener

    def hear(self, entry: Entry) -> None:
        if isinstance(entry, RunKept) and not entry.warm_up:
            self.made += 1
            self.failed += entry.status in FAILURES
            self.numbers.append(entry.run)
        if self._listener is not None:
            self._listener(entry)
