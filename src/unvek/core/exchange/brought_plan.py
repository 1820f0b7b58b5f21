"""A plan that came with runs from elsewhere: what a file of one's own would have been checked for on reading."""

import math
from collections.abc import Iterable
from dataclasses import fields

from unvek.core.measures.catalogue import built_in
from unvek.core.measures.kinds import KINDS
from unvek.core.plan.model import FORMS, Plan
from unvek.core.plan.names import is_name
from unvek.core.plan.needs import worded_need
from unvek.core.plan.price import HOURS_PER_DAY, Price
from unvek.core.units import is_currency

LONGEST_TITLE, MOST_ENTRIES = 10_000, 10_000
LARGEST_AMOUNT = 1e12


def check_plan(plan: Plan) -> None:
    """Raise ValueError where a plan holds what no plan that was read could hold: later nobody would look again."""
    names = [variant.name for variant in plan.variants]
    _refuse(len(plan.title) > LONGEST_TITLE or len(names) + len(plan.tasks) > MOST_ENTRIES, "too much in its plan")
    for name in (*names, *(task.name for task in plan.tasks), *(measure.name for measure in plan.measures)):
        _refuse(not is_name(name), "a name that is none")
    _refuse(len(set(names)) < len(names), "a variant twice")
    _refuse(len({task.name for task in plan.tasks}) < len(plan.tasks), "a task twice")
    _refuse(any(variant.form not in FORMS for variant in plan.variants), "a form that there is not")
    _refuse(bool(names) and plan.reference not in names, "a reference that is no variant")
    _check_measures(plan)
    _check_amounts(plan)


def _check_measures(plan: Plan) -> None:
    _refuse(any(measure.kind not in KINDS for measure in plan.measures), "a kind of measure that there is not")
    asked = {}
    for measure in plan.worked_out:
        try:
            of, against, made = measure.of, measure.against, [measure.definition_for(task) for task in plan.tasks]
            asked[measure.name] = measure.measure
        except (KeyError, TypeError, AttributeError, IndexError) as error:
            raise ValueError(f"a measure {measure.name!r} that can't be") from error
        _refuse(not of or (against is not None and not isinstance(against, str)) or len(made) != len(plan.tasks),
                f"a measure {measure.name!r} that can't be")  # fmt: skip
    for text in plan.needs:
        need = worded_need(text)
        known = asked.get(need.measure) or built_in(need.measure)
        need.bound(known.unit if known is not None and not need.measure.startswith("cost") else plan.rig.currency)


def _check_amounts(plan: Plan) -> None:
    prices = [plan.rig.price, *(variant.price for variant in plan.variants)]
    amounts = [amount for price in prices if price is not None for amount in _amounts(price)]
    amounts += [margin.value for margin in plan.margins.values()]
    amounts += [] if plan.rig.watts is None else [plan.rig.watts]
    _refuse(not _are_within(amounts, 0.0, LARGEST_AMOUNT), "an amount that can't be")
    _refuse(not _are_within([plan.rig.hours_per_day], 0.01, HOURS_PER_DAY), "hours of a day that can't be")
    _refuse(not is_currency(plan.rig.currency), "a currency that is none")
    schedule = plan.schedule
    _refuse(not 1 <= schedule.rounds <= 1000 or not 1 <= schedule.repeats <= 1000, "rounds that can't be")
    settle_to = schedule.settle_to
    _refuse(settle_to is not None and not _are_within([settle_to], 1e-9, 1.0), "a precision that can't be")


def _amounts(price: Price) -> Iterable[float]:
    return [amount for amount in (getattr(price, field.name) for field in fields(price)) if amount is not None]


def _are_within(amounts: Iterable[float], least: float, most: float) -> bool:
    return all(math.isfinite(amount) and least <= amount <= most for amount in amounts)


def _refuse(is_wrong: bool, what: str) -> None:
    if is_wrong:
        raise ValueError(what)
