"""One `run` from beginning to end: a plan's pending runs, made by the engine, kept in the logbook."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from time import monotonic

from unvek.core.errors import LogbookUnreachableError
from unvek.core.logbook.place import Place, leave_note, runs_left_behind
from unvek.core.logbook.store import Logbook
from unvek.core.plan.cells import Cell, Sources, cells_of, read_sources, weights_bytes
from unvek.core.plan.model import BETWEEN, Plan
from unvek.core.run.engine.bench import Assignment, Bench
from unvek.core.run.engine.engine import Engine, PendingRun
from unvek.core.run.events.record import STARTED_AFRESH
from unvek.core.session.changed_files import change_words, changed_files
from unvek.core.session.keeping import TeamKeeper
from unvek.core.session.rounds import RoundsToMake
from unvek.core.session.workplace import RunOptions, Workplace, workplace
from unvek.core.units import counted

RUN = "run"  # what a session was made by


@dataclass(frozen=True, slots=True, kw_only=True)
class Made:
    """What came of a `run`: how many were to be made and were, how many of these failed, and whether it was stopped.

    session is None where there was nothing to make. told is what is to be said of what the runs told: numbers under
    names that are not theirs to give, and such as can't be. made_again are rounds in which something else took the
    machine, each as often as it was made again.
    """

    planned: int
    already: int
    made: int
    failed: int
    stopped: bool
    session: str | None
    told: tuple[str, ...]
    made_again: tuple[int, ...]


def make_runs(plan: Plan, place: Place, options: RunOptions | None = None) -> Made:
    """Make every run of the plan that the logbook does not hold yet, and say what came of it.

    With `afresh` the plan's runs so far are voided, and all are made anew. Raises as `workplace` does.
    """
    options = options or RunOptions()
    sources = read_sources(plan, options.tell)
    cells = cells_of(plan, sources)
    with workplace(plan, place, options) as held:
        logbook, rig = held.logbook, held.rig.fingerprint
        if options.tell is not None:
            _tell_doubts(plan, sources, cells, held, options.tell)
        if options.afresh:
            # What other machines of a team have made is theirs.
            logbook.void_slots({cell.key for cell in cells}, STARTED_AFRESH, rig if place.is_team else None)
        weights = {variant.name: weights_bytes(variant) for variant in plan.variants}
        if leave_note(place, plan) and (left := runs_left_behind(place)) is not None and options.tell is not None:
            options.tell(
                f"runs were made into {left} before, and stay there: 'unvek merge {left.name}' brings them along"
            )
        if place.is_team and options.tell is not None:
            _tell_of_another_plan(logbook, plan, options.tell)
        _share_outputs(logbook, plan, options.tell)
        logbook.record_plan(plan, [cell.key for cell in cells], weights)
        keeper = TeamKeeper(logbook, held.rig.as_mapping(), cells, options.tell) if place.is_team else None
        rounds = RoundsToMake(plan, cells, logbook, rig, keeper.done if keeper is not None else None)
        if options.undisturbed and not rounds.pending:
            rounds.disturbed()
        remaining, pending = rounds.remaining, rounds.pending
        forecast = remaining.time_left_s(held.forecaster) if pending else None
        number = logbook.record_forecast(plan.title, pending, *forecast) if forecast is not None else None
        session = logbook.begin_session(RUN, options.name) if pending else None
        if keeper is not None and session is not None:
            keeper.begin(session, plan.title, pending)
        began_s = monotonic()
        with held.bench(rounds.standing, cells, forecast, keeper) as (bench, tally):
            engine = Engine(bench, Assignment(plan=plan, sources=sources, remaining=remaining))
            engine.make(_groups(rounds, bench, options, place))
        stopped = held.interruption.no_more()
        took_s = monotonic() - began_s if number is not None and tally.made == pending and not stopped else None
        if keeper is not None:
            keeper.finish(stopped, number, took_s)
        else:
            logbook.end_session()
            if number is not None and took_s is not None:
                logbook.close_forecast(number, took_s)
        return Made(
            planned=rounds.planned, already=rounds.planned - rounds.pending, made=tally.made, failed=tally.failed,
            stopped=stopped, session=session.name if session is not None else None, told=tuple(engine.told.values()),
            made_again=tuple(rounds.made_again),
        )  # fmt: skip


def _groups(rounds: RoundsToMake, bench: Bench, options: RunOptions, place: Place) -> Iterator[list[PendingRun]]:
    """Yield the runs to make; the journal is told where rounds are made again, or it takes more to settle."""
    yield from _measured_between(rounds, bench, place) if rounds.plan.schedule.measure == BETWEEN else rounds.groups()
    while not bench.interruption.no_more() and _takes_more(rounds, options):
        journal = bench.journal
        if journal.begin_again is not None:
            journal.tell(replace(journal.begin_again(), left_s=rounds.remaining.time_left_s(bench.forecaster)))
        yield from rounds.groups()


def _tell_of_another_plan(logbook: Logbook, plan: Plan, tell: Callable[[str], None]) -> None:
    """Say where a team's logbook was of another plan until now: results go by the plan that was run last."""
    newest = logbook.newest_plan()
    if newest is not None and newest.plan.title != plan.title:
        tell(f"until now {logbook.name} was of the plan {newest.plan.title!r}; results go by the plan that is run "
             "last: give each plan a database of its own")  # fmt: skip


def _share_outputs(logbook: Logbook, plan: Plan, tell: Callable[[str], None] | None) -> None:
    """Have outputs go where the plan says that a team shares them."""
    if plan.outputs is not None and logbook.place.is_team:
        logbook.share_outputs_at(plan.outputs)
        logbook.files.open()  # what is missing is told before the first run, and not after it
    elif plan.outputs is not None and tell is not None:
        tell(f"outputs stay in {logbook.name}: {plan.outputs} is for those of a team's logbook")


def _takes_more(rounds: RoundsToMake, options: RunOptions) -> bool:
    """Whether rounds are to be made again, or more of them; not where nobody can tell, while a logbook is away."""
    try:
        return (options.undisturbed and rounds.disturbed()) or rounds.grown()
    except LogbookUnreachableError as error:
        if options.tell is not None:
            options.tell(f"whether more rounds are wanted can't be told now: {error}; the same command goes on later")
        return False


def _measured_between(rounds: RoundsToMake, bench: Bench, place: Place) -> Iterator[list[PendingRun]]:
    """Yield the runs to make, and measure what is there before each round that begins."""
    from unvek.core.session.measuring.between import measure_meanwhile  # few plans ask for it, and it brings much

    latest = None
    for group in rounds.groups():
        if latest not in (None, group[0].slot.round):
            measure_meanwhile(place, bench.interruption.no_more)
        latest = group[0].slot.round
        yield group


def _tell_doubts(
    plan: Plan, sources: Sources, cells: tuple[Cell, ...], held: Workplace, tell: Callable[[str], None]
) -> None:
    """Say which files are not what they were, and what was made on another rig, before anything is made."""
    for words in change_words(changed_files(held.logbook, plan, sources)):
        tell(words)
    if held.logbook.place.is_team:
        return  # whose machines each make all runs
    elsewhere = held.logbook.done_elsewhere(cells, held.rig.fingerprint)
    if elsewhere:
        tell(f"{counted(elsewhere, 'run')} made on another rig: not counted on this one, and made again")
