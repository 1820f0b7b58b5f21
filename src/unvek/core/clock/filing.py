"""What was timed by hand into a logbook: in one transaction, once, each run with how far the hand may be off."""

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from statistics import median

from sqlalchemy import Connection

from unvek.core.clock.acts import OTHERS_WORD, ClockSetup
from unvek.core.clock.lanes import Clock, TimedRun
from unvek.core.exchange.bringing import cell_from_elsewhere
from unvek.core.exchange.brought_sessions import rounds_had
from unvek.core.ids import new_id
from unvek.core.logbook import tables
from unvek.core.logbook.inserting import insert_all, next_number, now, words_of
from unvek.core.logbook.packing import pack_floats
from unvek.core.logbook.plan_record import plan_as_json, plan_of_runs_from_elsewhere
from unvek.core.logbook.rows import KeptRun, RunDetails
from unvek.core.logbook.store import (
    Logbook,
    Measurement,
    add_launch,
    add_session,
    keep_measurements,
    keep_plan,
    note_rig,
)
from unvek.core.measures.catalogue import REACTION, measured_definition
from unvek.core.run.events.record import BY_HAND, FAILED, FINISHED, INTERRUPTED

CLOCK = "clock"  # what a session was made by
TITLE = "Timed by hand"


@dataclass(frozen=True, slots=True, kw_only=True)
class Filed:
    """What came into the logbook; session is None where nothing did."""

    runs: int
    session: str | None
    reference: str


def file_clock(logbook: Logbook, clock: Clock) -> Filed:
    """Put what a clock has timed into the logbook; what is there already stays as it is.

    A run that was not stopped is kept as interrupted, without a time.
    """
    setup, runs = clock.setup, clock.lanes.runs
    known = next((one for one in logbook.sessions() if one.id == setup.id), None)
    newest = logbook.newest_plan()
    reference = newest.plan.reference if newest is not None else setup.lanes[0]
    if known is not None or not runs:
        return Filed(runs=0, session=known.name if known is not None else None, reference=reference)
    with logbook.bringing_in() as connection:
        note_rig(connection, setup.rig, setup.rig_facts)
        before = rounds_had(connection, setup.lanes)
        session = add_session(
            connection, CLOCK, setup.name, setup.rig, id=setup.id, began_at=setup.began_at, ended_at=now(),
            rounds_before=before,
        )  # fmt: skip
        _insert(connection, setup, runs, session.number, before)
        if newest is None:
            plan = plan_of_runs_from_elsewhere(TITLE, reference)
            keep_plan(connection, plan, plan_as_json(plan, (), {}))
    return Filed(runs=len(runs), session=session.name, reference=reference)


def _insert(connection: Connection, setup: ClockSetup, runs: list[TimedRun], session: int, before: int) -> None:
    launches: dict[tuple[str, int], int] = {}
    places: Counter[int] = Counter()
    repeats: Counter[tuple[int, bool]] = Counter()
    first = next_number(connection, tables.runs)
    rows, details = [], []
    measurements: list[Measurement] = []
    for number, run in enumerate(runs, first):
        round_number = before + run.launch
        key = (run.lane, run.launch)
        if key not in launches:
            began = _moment(setup, run.began_s)
            launch_row = add_launch(connection, session, run.lane, round_number, setup.rig, started_at=began)
            launches[key] = launch_row.number
            # The first run of a process is cold: of a program that somebody else has started it is only known where it
            # is said to be a warm-up.
            places[launches[key]] = 0 if run.warm_up else 1
        launch = launches[key]
        places[launch] += 1
        repeats[launch, run.warm_up] += 1
        repeat = repeats[launch, run.warm_up]
        rows.append(_row(setup, run, number, launch, places[launch], round_number, repeat))
        details.append(RunDetails(run=number, step_times_s=pack_floats(run.lap_times_s)))
        measurements += _measurements(setup, run, number)
    insert_all(connection, tables.runs, rows)
    insert_all(connection, tables.run_details, details)
    keep_measurements(connection, measurements)


def _row(
    setup: ClockSetup, run: TimedRun, number: int, launch: int, place: int, round_number: int, repeat: int
) -> KeptRun:
    form, laps_s, foreseen_s = setup.form(run.lane), run.lap_times_s, run.foreseen_s
    ended = FAILED if run.failed else FINISHED
    return KeptRun(
        number=number, id=new_id(), cell=cell_from_elsewhere(run.lane, form, setup.task, setup.seed, {}),
        launch=launch, variant=run.lane, form=form, task=setup.task, seed=setup.seed, round=round_number, repeat=repeat,
        place=place, warm_up=run.warm_up, status=INTERRUPTED if run.ended_s is None else ended, time_s=run.time_s,
        steps=len(laps_s), step_time_s=median(laps_s) if laps_s else None, source=BY_HAND,
        started_at=_moment(setup, run.began_s), forecast_low_s=foreseen_s, forecast_high_s=foreseen_s,
        forecast_basis=OTHERS_WORD if foreseen_s is not None else None,
        error="seen to fail by whoever timed it" if run.failed else None,
    )  # fmt: skip


def _measurements(setup: ClockSetup, run: TimedRun, number: int) -> Iterator[Measurement]:
    counts = run.counts if run.ended_s is not None else {}
    for name, value, unit in ((REACTION, setup.reaction_s, "s"), *((name, n, "") for name, n in counts.items())):
        yield Measurement(
            run=number, name=name, origin=BY_HAND, definition=measured_definition(name, unit), value=float(value)
        )


def _moment(setup: ClockSetup, at_s: float) -> str:
    return words_of(datetime.fromisoformat(setup.began_at) + timedelta(seconds=at_s))
