"""What is left of a plan, and what earlier runs teach about how long it will take."""

from collections import Counter
from dataclasses import dataclass

from unvek.core.logbook.store import Logbook
from unvek.core.plan.cells import Cell
from unvek.core.plan.model import Plan
from unvek.core.run.events.record import FINISHED
from unvek.core.run.forecast import Forecaster
from unvek.core.run.remaining import Remaining

MOST_LEARNED = 100_000  # earlier runs that forecasts are made from, the newest


@dataclass(frozen=True, slots=True)
class Standing:
    """Where things stand: the plan as it is being made, what is left of it, how many runs there are to be in all."""

    plan: Plan
    remaining: Remaining
    planned: int


def remaining_of(plan: Plan, cells: tuple[Cell, ...], logbook: Logbook | None, rig: str) -> Remaining:
    """Count what is left of a plan: all of it where there is no logbook yet."""
    schedule = plan.schedule
    done: Counter[tuple[str, int]] = Counter()
    if logbook is not None:
        done = logbook.done_counts(cells, rig, schedule.rounds, schedule.repeats)
    in_a_round = Counter(cell.variant.name for cell in cells)
    runs: Counter[str] = Counter()
    launches: Counter[str] = Counter()
    for name, count in in_a_round.items():
        for round_number in range(1, schedule.rounds + 1):
            left = count * schedule.repeats - done[name, round_number]
            runs[name] += left
            launches[name] += left > 0
    samples = {cell.variant.name: cell for cell in reversed(cells)}
    return Remaining(samples, runs, launches, schedule.warmups, schedule.pause_s)


def learned(logbook: Logbook, rig: str) -> Forecaster:
    """Return a forecaster that knows the logbook's runs: of a very long one the newest, of a team's this machine's.

    What other machines of a team take stands in for what is not known of this one, where it has made none.
    """
    forecaster = Forecaster()
    ours = list(logbook.seen_runs(most=MOST_LEARNED, rig=rig)) if logbook.place.is_team else []
    for seen in ours or logbook.seen_runs(most=MOST_LEARNED):
        if seen.status == FINISHED and seen.time_s is not None:
            forecaster.learn(seen.cell, seen.variant, seen.steps, seen.time_s, seen.cold)
    for launch in logbook.launches():
        if launch.load_s is not None and (not ours or launch.rig == rig):
            forecaster.learn_load(launch.variant, launch.load_s)
    return forecaster
