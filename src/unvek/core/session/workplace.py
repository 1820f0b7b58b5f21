"""Where runs are made: the machine held, the logbook in order, and the journal that tells whoever watches."""

import shutil
from collections import deque
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from itertools import islice
from pathlib import Path

from unvek.core.ask.secrets import Secrets
from unvek.core.errors import LogbookUnreachableError
from unvek.core.logbook.folder import LogbookFolder, told_of_disk
from unvek.core.logbook.place import Place
from unvek.core.logbook.store import Logbook
from unvek.core.plan.cells import Cell
from unvek.core.plan.model import Plan
from unvek.core.rig.facts import RigFacts, named
from unvek.core.rig.present import accelerators_present
from unvek.core.rig.telemetry import Instruments
from unvek.core.run.engine.bench import Bench, Keeper
from unvek.core.run.engine.interruption import Interruption
from unvek.core.run.engine.memory_fence import remove_stale_fences
from unvek.core.run.events.record import FAILURES, INTERRUPTED
from unvek.core.run.events.sieve import Sieve, most_bytes_of
from unvek.core.run.forecast import Forecaster
from unvek.core.run.journal.controls import ControlReader
from unvek.core.run.journal.entries import Entry, PlanBegins, RunKept
from unvek.core.run.journal.journal import Journal, Listener, journal_name
from unvek.core.run.machine_lock import Holder, MachineLock, held_machine
from unvek.core.run.processes.family import end_leftovers
from unvek.core.run.processes.guard import spawner
from unvek.core.run.runners.starting import VariantStarter
from unvek.core.session.keeping import bring_what_waits, waits_in
from unvek.core.session.recovery import recover_run
from unvek.core.session.what_is_left import Standing, learned
from unvek.core.units import counted

MOST_EARLIER = 5000  # earlier runs that the journal tells a new viewer of


@dataclass(frozen=True, slots=True, kw_only=True)
class RunOptions:
    """How a user wants runs to be made, and who hears of it.

    name is what the session is called. undisturbed: make rounds again in which something else took the machine.
    listener hears the journal's entries in this process; on_journal is called with
    the journal's path before the first run; tell hears of what takes long; on_wait hears who holds the machine.
    """

    name: str | None = None
    afresh: bool = False
    undisturbed: bool = False
    wait: bool = False
    keep_going: bool = False
    listener: Listener | None = None
    on_journal: Callable[[Path], None] | None = None
    tell: Callable[[str], None] | None = None
    on_wait: Callable[[Holder], None] | None = None


@dataclass(frozen=True, slots=True)
class Workplace:
    """The machine and a logbook, held for as long as runs are being made."""

    logbook: Logbook
    rig: RigFacts
    interruption: Interruption
    forecaster: Forecaster
    options: RunOptions
    _lock: MachineLock
    _instruments: Instruments
    _starter: VariantStarter
    _most_bytes: int

    @contextmanager
    def bench(
        self, standing: Callable[[], Standing], cells: tuple[Cell, ...], forecast_s: tuple[float, float] | None = None,
        keeper: Keeper | None = None,
    ) -> Iterator[tuple[Bench, "Tally"]]:  # fmt: skip
        """Open the journal, tell it where things stand, and have all that runs are made with.

        keeper: what keeps them, where that is not the logbook itself. What goes wrong with the disk meanwhile is turned
        into words.
        """
        folder = self.logbook.folder
        tally = Tally(self.options.listener)
        try:
            journal = Journal(folder.journal / journal_name(datetime.now(UTC).isoformat()), tally.hear)
            controls = ControlReader(journal.path.with_suffix(".controls"))
            try:
                self.interruption.listen(controls)
                journal.begin_again = lambda: self._beginning(standing(), cells, controls.path.name)
                journal.tell(replace(journal.begin_again(), left_s=forecast_s))
                self._lock.tell_journal(journal.path)
                if self.options.on_journal is not None:
                    self.options.on_journal(journal.path)
                yield Bench(
                    starter=self._starter, keeper=keeper or self.logbook, journal=journal,
                    interruption=self.interruption, instruments=self._instruments,
                    forecaster=self.forecaster, most_bytes=self._most_bytes,
                ), tally  # fmt: skip
            finally:
                controls.close()
                journal.close()
        except OSError as error:
            raise told_of_disk(folder.path, error) from error

    def _beginning(self, standing: Standing, cells: tuple[Cell, ...], controls: str) -> PlanBegins:
        """Tell a viewer where things stand."""
        plan = standing.plan
        keys = {cell.key for cell in cells}
        try:
            rig = self.rig.fingerprint if self.logbook.place.is_team else None
            seen = (seen for seen in self.logbook.seen_runs(newest_first=True, rig=rig) if seen.cell in keys)
            earlier = tuple((run.variant, run.time_s, run.status, run.warm_up) for run in islice(seen, MOST_EARLIER))
        except LogbookUnreachableError:  # a viewer then begins with what comes
            earlier = ()
        return PlanBegins(
            title=plan.title,
            path=str(plan.path),
            reference=plan.reference,
            variants=tuple((variant.name, variant.form) for variant in plan.variants),
            rounds=plan.schedule.rounds,
            planned=standing.planned,
            pending=standing.remaining.runs_by_variant,
            earlier=earlier[::-1],
            rig=self.rig.as_mapping(),
            controls=controls,
        )


@contextmanager
def workplace(plan: Plan, place: Place, options: RunOptions) -> Iterator[Workplace]:
    """Hold the machine and the logbook, and put them in order.

    Must be used in the main thread, whose signals it takes. Raises LogbookError where the logbook can't be used,
    MachineBusyError where runs are being made on this machine already.
    """
    interruption = Interruption(options.keep_going)
    folder = LogbookFolder(place.folder)
    folder.make()
    with ExitStack() as stack:
        lock = stack.enter_context(held_machine(plan.title, options.wait, options.on_wait))
        stack.enter_context(folder.locked())
        started_by = spawner()
        stack.callback(started_by.close)
        logbook = stack.enter_context(Logbook.make_or_open(place))
        stack.enter_context(interruption.watching())
        end_leftovers()
        remove_stale_fences()
        present = stack.enter_context(accelerators_present(plan.rig))
        rig = named(present.rig) if place.is_team else present.rig
        most_bytes = most_bytes_of(rig.as_mapping(), shutil.disk_usage(folder.path).total)
        secrets = Secrets(tuple({name for runner in plan.runners.values() for name in runner.secrets}))
        _put_in_order(logbook, Sieve(plan.measures, most_bytes), secrets, options)
        instruments = Instruments(present.accelerators, plan.rig.watts)
        stack.callback(instruments.close)
        logbook.record_rig(rig.fingerprint, rig.as_mapping())
        stack.enter_context(logbook.making_runs())
        starter = VariantStarter(plan.runners, started_by, present.environment)
        yield Workplace(
            logbook,
            rig,
            interruption,
            learned(logbook, rig.fingerprint),
            options,
            lock,
            instruments,
            starter,
            most_bytes,
        )


def _put_in_order(logbook: Logbook, sieve: Sieve, secrets: Secrets, options: RunOptions) -> None:
    """Keep the run that was cut off by a kill, and bring what waits for a team's logbook; the order matters.

    A launch that waits has another number there than in the journal: what the journal tells of it is kept before.
    """
    if waits_in(logbook.place):
        with Logbook.open(Place(logbook.folder.path)) as waiting:
            recover_run(waiting, sieve, secrets, besides=logbook)
        brought = bring_what_waits(logbook)
        if brought and options.tell is not None:
            options.tell(f"{counted(brought, 'run')} that waited on this machine came into {logbook.name}")
    logbook.clear_unfinished()
    recover_run(logbook, sieve, secrets)


class Tally:
    """Counts the measured runs as they are kept, and passes every entry on."""

    def __init__(self, listener: Listener | None):
        self.made = self.failed = 0
        self.numbers: deque[int] = deque(maxlen=MOST_EARLIER)
        self._listener = listener

    def hear(self, entry: Entry) -> None:
        if isinstance(entry, RunKept) and not entry.warm_up:
            self.made += entry.status != INTERRUPTED
            self.failed += entry.status in FAILURES
            self.numbers.append(entry.run)
        if self._listener is not None:
            self._listener(entry)
