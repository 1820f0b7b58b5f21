"""One `run` from beginning to end: a plan's pending runs, made by the engine, kept in the logbook."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from unvek.core.logbook.folder import LogbookFolder
from unvek.core.logbook.store import Logbook
from unvek.core.plan.cells import Cell, cells_of, read_sources, weights_bytes
from unvek.core.plan.model import Plan
from unvek.core.rig.facts import RigFacts, read_rig
from unvek.core.run.engine import Engine, PendingRun, pending_runs
from unvek.core.run.interruption import Interruption
from unvek.core.run.journal import Journal, Listener, journal_name
from unvek.core.run.python_runner import PythonRunners
from unvek.core.run.record import FAILURES

MOST_EARLIER = 5000  # earlier runs that the journal tells a new viewer of


@dataclass(frozen=True, slots=True, kw_only=True)
class Made:
    """What came of a `run`: how many were to be made and were, how many of these failed, and whether it was stopped."""

    planned: int
    already: int
    made: int
    failed: int
    stopped: bool


def make_runs(
    plan: Plan,
    logbook_path: Path,
    *,
    afresh: bool = False,
    listener: Listener | None = None,
    on_journal: Callable[[Path], None] | None = None,
    interruption: Interruption | None = None,
) -> Made:
    """Make every run of the plan that the logbook does not hold yet.

    listener hears the journal's entries in this process; on_journal is called with the journal's path before the
    first run. With `afresh` the plan's runs so far are voided, and all are made anew. Must be called from the main
    thread, whose signals it takes while it works. Raises LogbookError where the logbook can't be used or is in use.
    """
    interruption = interruption or Interruption()
    sources = read_sources(plan)
    cells = cells_of(plan, sources)
    folder = LogbookFolder(logbook_path)
    folder.make()
    with folder.locked(), Logbook.make_or_open(logbook_path) as logbook, interruption.watching():
        logbook.folder.clear_unfinished()
        if afresh:
            logbook.void_slots({cell.key for cell in cells}, "started afresh")
        rig = read_rig()
        logbook.record_rig(rig.fingerprint, rig.as_mapping())
        logbook.record_plan(plan.path, plan.text, plan_content(plan, cells))
        pending = pending_runs(plan, cells, logbook.done(cells))
        tally = _Tally(listener)
        journal = Journal(logbook.folder.journal / journal_name(datetime.now(UTC).isoformat()), tally.hear)
        try:
            _tell_beginning(journal, plan, cells, pending, rig, logbook)
            if on_journal is not None:
                on_journal(journal.path)
            Engine(plan, sources, PythonRunners(plan.runners), logbook, journal, interruption).make(pending)
        finally:
            journal.close()
    planned = len(cells) * plan.schedule.runs_of_a_cell
    return Made(
        planned=planned,
        already=planned - len(pending),
        made=tally.made,
        failed=tally.failed,
        stopped=interruption.stop,
    )


def plan_content(plan: Plan, cells: tuple[Cell, ...]) -> dict[str, Any]:
    """Return what findings need to know of a plan, as JSON: it is kept with the runs, so the file may change."""
    return {
        "title": plan.title,
        "reference": plan.reference,
        "quality": plan.quality,
        "rounds": plan.schedule.rounds,
        "repeats": plan.schedule.repeats,
        "variants": [
            {
                "name": variant.name,
                "form": variant.form,
                "settings": dict(variant.settings),
                "weights_bytes": weights_bytes(variant),
            }
            for variant in plan.variants
        ],
        "tasks": [{"name": task.name, "prompt": task.prompt, "seeds": list(task.seeds)} for task in plan.tasks],
        "measures": [{"name": measure.name, "kind": measure.kind} for measure in plan.measures],
        "cells": [cell.key for cell in cells],
    }


class _Tally:
    """Counts the measured runs as they are kept, and passes every entry on."""

    def __init__(self, listener: Listener | None):
        self.made = self.failed = 0
        self._listener = listener

    def hear(self, entry: Mapping[str, Any]) -> None:
        if entry["entry"] == "kept" and not entry["warm_up"]:
            self.made += 1
            self.failed += entry["status"] in FAILURES
        if self._listener is not None:
            self._listener(entry)


def _tell_beginning(journal: Journal, plan: Plan, cells: tuple[Cell, ...], pending: list[PendingRun], rig: RigFacts,
                    logbook: Logbook) -> None:  # fmt: skip
    keys = {cell.key for cell in cells}
    earlier = [
        [row["variant"], row["time_s"], row["status"], row["warm_up"]]
        for row in logbook.runs()
        if row["cell"] in keys and row["voided"] is None
    ]
    journal.tell(
        "plan",
        title=plan.title,
        path=str(plan.path),
        reference=plan.reference,
        variants=[[variant.name, variant.form] for variant in plan.variants],
        rounds=plan.schedule.rounds,
        planned=len(cells) * plan.schedule.runs_of_a_cell,
        pending=[[run.cell.variant.name, run.slot.round] for run in pending],
        earlier=earlier[-MOST_EARLIER:],
        rig=dict(rig.as_mapping()),
    )
