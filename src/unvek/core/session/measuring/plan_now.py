"""A plan's measures as its file has them now, for runs that were made before."""

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

from msgspec.structs import replace as priced_as

from unvek.core.errors import InputError
from unvek.core.logbook.place import Place
from unvek.core.logbook.store import Logbook
from unvek.core.plan.model import Plan, Task
from unvek.core.plan.reading.plan import read_plan


def take_measures(logbook: Logbook, path: Path | None) -> Iterator[str]:
    """Take the measures, and what tasks want of outputs, from a plan's file; yield what is said of it.

    path: the file; if None the one of that name beside the logbook, or that the newest plan on record came from. What
    runs are made of stays as it was on record. Raises InputError where there are no runs, or PlanError for a bad file.
    """
    record = logbook.newest_plan()
    if record is None:
        raise InputError(f"there are no runs in {logbook.name} yet; make some with 'unvek run PLAN'")
    before = record.plan
    its_own = plan_file(logbook.place, before)
    if path is None and its_own is None:
        return
    try:
        now = read_plan(path or its_own or before.path)
    except InputError as error:
        if path is not None:
            raise
        yield f"{its_own} is no plan any more ({str(error).splitlines()[0]}): its measures are taken as on record"
        return
    if not {variant.name for variant in now.variants} & {variant.name for variant in before.variants}:
        if path is not None:
            raise InputError(f"{path} has no variant of those whose runs are in {logbook.name}")
        yield f"{its_own} has none of the variants of these runs: measures are taken as on record"
        return
    taken = replace(
        before, text=now.text, measures=now.measures, quality=now.quality, margins=now.margins, needs=now.needs,
        earlier=now.earlier,
        **_with_prices(before, now),
        tasks=tuple(_with_wishes(task, now) for task in before.tasks),
    )  # fmt: skip
    if replace(taken, text=before.text) != before:
        logbook.record_plan(taken, record.cells, record.weights_bytes)
        yield f"measures are those of {now.path} as it is now"


def plan_file(place: Place, plan: Plan) -> Path | None:
    """Return the file of a plan on record: beside its logbook, since both may have been moved, or where it was."""
    return next((path for path in (place.beside / plan.path.name, plan.path) if path.is_file()), None)


def _with_prices(before: Plan, now: Plan) -> dict[str, Any]:
    """Return the variants, runners and machine as they were, with what they cost now."""
    priced = {variant.name: variant.price for variant in now.variants}
    runners = {name: now.runners[name].price if name in now.runners else None for name in before.runners}
    return {
        "variants": tuple(replace(one, price=priced.get(one.name, one.price)) for one in before.variants),
        "runners": {name: priced_as(one, price=runners[name]) for name, one in before.runners.items()},
        "rig": replace(
            before.rig, price=now.rig.price, currency=now.rig.currency, hours_per_day=now.rig.hours_per_day
        ),
    }  # fmt: skip


def _with_wishes(task: Task, now: Plan) -> Task:
    """Return a task with what it wants and expects of its outputs now."""
    found = next((one for one in now.tasks if one.name == task.name), None)
    return task if found is None else replace(task, expect=found.expect, wanted=found.wanted, facts=found.facts)
