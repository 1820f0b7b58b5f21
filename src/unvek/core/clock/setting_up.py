"""A clock set up: what a user asks for, with what the plan on record says of it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from unvek.core.clock.acts import LONGEST_LABEL, MOST_LANES, ClockSetup
from unvek.core.errors import InputError
from unvek.core.exchange.columns import DEFAULT_SEED, DEFAULT_TASK
from unvek.core.ids import new_id
from unvek.core.logbook.inserting import now
from unvek.core.logbook.store import Logbook
from unvek.core.plan.model import FORMS, Plan, Task
from unvek.core.plan.names import NAME_WORDS, is_name
from unvek.core.rig.facts import elsewhere
from unvek.core.rig.present import this_rig


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """What a user asks a clock for, as of `ClockSetup`; None is left to the plan on record."""

    task: str | None
    seed: int | None
    laps: int
    kept_running: bool
    forms: Mapping[str, Any]
    foreseen_s: Mapping[str, float]
    counted: tuple[str, ...]
    reaction_s: float
    elsewhere: bool
    name: str | None


def set_up(logbook: Logbook, lanes: Sequence[str], asked: Asked) -> tuple[ClockSetup, list[str]]:
    """Return the setup, and what a user should know before timing; InputError where there can be no such clock."""
    newest = logbook.newest_plan()
    plan = newest.plan if newest is not None else None
    check(lanes, asked)
    tasks = plan.tasks if plan is not None else ()
    name = asked.task if asked.task is not None else (tasks[0].name if len(tasks) == 1 else DEFAULT_TASK)
    task = next((one for one in tasks if one.name == name), None)
    seed = asked.seed if asked.seed is not None else _seed_of(task)
    rig, facts = elsewhere() if asked.elsewhere else this_rig()
    setup = ClockSetup(
        id=new_id(), lanes=tuple(lanes), forms=_forms(lanes, plan, asked.forms), task=name, seed=seed, laps=asked.laps,
        kept_running=asked.kept_running, counted=asked.counted, foreseen_s=dict(asked.foreseen_s),
        reaction_s=asked.reaction_s, began_at=now(), name=asked.name, rig=rig, rig_facts=facts,
    )  # fmt: skip
    try:
        setup.check()
    except ValueError as error:
        raise InputError(f"{error}: a time is more than nothing, and no longer than a life") from error
    return setup, _what_pairs_with_nothing(plan, setup, task)


def check(lanes: Sequence[str], asked: Asked) -> None:
    """Raise InputError where there can be no such clock, whatever the logbook."""
    for lane in lanes:
        if not is_name(lane):
            raise InputError(f"{lane!r} is no variant's name; wanted {NAME_WORDS}")
    if asked.task is not None and not (0 < len(asked.task) <= LONGEST_LABEL and asked.task.isprintable()):
        raise InputError(f"{asked.task!r} is no task; wanted text on one line, of up to {LONGEST_LABEL} characters")
    if len(set(lanes)) < len(lanes):
        raise InputError("each variant has one lane; one of them is given twice")
    if len(lanes) > MOST_LANES:
        raise InputError(f"there are keys for {MOST_LANES} lanes; found {len(lanes)}")
    for name in (*asked.forms, *asked.foreseen_s):
        if name not in lanes:
            raise InputError(f"{name!r} is none of what is timed: {', '.join(lanes)}")
    for form in asked.forms.values():
        if form not in FORMS:
            raise InputError(f"there is no form {form!r}; there are {', '.join(FORMS)}")


def _forms(lanes: Sequence[str], plan: Plan | None, asked: Mapping[str, Any]) -> dict[str, str]:
    planned = {variant.name: variant.form for variant in plan.variants} if plan is not None else {}
    return {lane: planned[lane] for lane in lanes if lane in planned} | dict(asked)


def _seed_of(task: Task | None) -> int:
    return task.seeds[0] if task is not None and len(task.seeds) == 1 else DEFAULT_SEED


def _what_pairs_with_nothing(plan: Plan | None, setup: ClockSetup, task: Task | None) -> list[str]:
    """Say where nothing that the plan runs is the same item: a ratio needs the same task and seed on both sides."""
    if plan is None or not plan.tasks:
        return []
    if task is None:
        names = ", ".join(one.name for one in plan.tasks[:8])
        return [f"the plan has no task {setup.task!r}, so these runs pair with none of its runs; --task takes {names}"]
    if setup.seed not in task.seeds:
        seeds = ", ".join(map(str, task.seeds[:8]))
        return [f"the plan's seeds of {task.name} are {seeds}: --seed says which of them this is; {setup.seed} is none"]
    return []
