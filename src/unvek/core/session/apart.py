"""Runs that are kept apart from a plan's, as trials and first steps are: made at once, each cell once."""

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from unvek.core.logbook.place import Place
from unvek.core.logbook.rows import KeptRun
from unvek.core.logbook.store import Logbook
from unvek.core.plan.cells import Cell, Sources
from unvek.core.plan.model import Plan
from unvek.core.run.engine.bench import Assignment
from unvek.core.run.engine.engine import Engine, pending_groups
from unvek.core.session.what_is_left import Standing, remaining_of
from unvek.core.session.workplace import RunOptions, workplace

TRY = "try"  # what a session was made by


@dataclass(frozen=True, slots=True, kw_only=True)
class MadeApart:
    """The runs that were made, what is to be said of them, and whether the user ended them."""

    logbook: Logbook
    runs: tuple[KeptRun, ...]
    told: tuple[str, ...]
    stopped: bool


@contextmanager
def made_apart(
    small: Plan, sources: Sources, cells: tuple[Cell, ...], place: Place, options: RunOptions,
    one_step: bool = False, varied: Mapping[str, Any] | None = None,
) -> Iterator[MadeApart]:  # fmt: skip
    """Make a small plan's runs in a session of their own, and give them while the logbook is open."""
    with workplace(small, place, options) as held:
        remaining = remaining_of(small, cells, None, "")
        held.logbook.begin_session(TRY)
        with held.bench(lambda: Standing(small, remaining, len(cells)), cells) as (bench, tally):
            assignment = Assignment(
                plan=small, sources=sources, remaining=remaining, trial=True, one_step=one_step, varied=varied or {}
            )
            engine = Engine(bench, assignment)
            engine.make(pending_groups(small, cells, lambda _, __: set()))
        held.logbook.end_session()
        yield MadeApart(
            logbook=held.logbook,
            runs=tuple(held.logbook.run(number) for number in tally.numbers),
            told=tuple(engine.told.values()),
            stopped=held.interruption.no_more(),
        )
