"""How many rounds a plan takes: as many as it says, or more until each ratio of times is known as well as it asks.

The number is settled once, by the rounds that the plan has for sure, so that it comes out the same whenever it is asked
for, and what is found later does not decide when to stop.
"""

from dataclasses import replace

from unvek.core.logbook.store import Logbook
from unvek.core.measures.catalogue import TIME
from unvek.core.plan.cells import Cell
from unvek.core.plan.model import Plan
from unvek.core.session.what_is_left import remaining_of


def settled_plan(plan: Plan, cells: tuple[Cell, ...], logbook: Logbook, rig: str) -> Plan:
    """Return the plan with the rounds that it takes to know each ratio of times as well as it asks.

    The plan itself, where it asks for nothing, where its own rounds are not all made on this rig, or where the newest
    plan of the logbook is another one.
    """
    schedule = plan.schedule
    if schedule.settle_to is None or remaining_of(plan, cells, logbook, rig).runs:
        return plan
    newest = logbook.newest_plan()
    if newest is None or set(newest.cells) != {cell.key for cell in cells}:
        return plan
    # Most plans ask for nothing: runs are begun without the packages for numbers, which take long to import.
    from unvek.core.evidence.gathering import Selection, gather
    from unvek.core.stats.over_launches.settling import rounds_wanted

    evidence = gather(logbook, Selection(across_rigs=True))
    here = evidence.runs.on_rig(rig)
    theirs = evidence.sample(TIME, evidence.runs.of_variant(evidence.reference) & here)
    pairs = [
        (evidence.sample(TIME, evidence.runs.of_variant(variant.name) & here), theirs)
        for variant in evidence.variants
        if variant.name != evidence.reference
    ]
    wanted = rounds_wanted(pairs, schedule.rounds, schedule.settle_to)
    rounds = min(schedule.most_rounds, wanted or schedule.rounds)
    return replace(plan, schedule=replace(schedule, rounds=rounds)) if rounds > schedule.rounds else plan
