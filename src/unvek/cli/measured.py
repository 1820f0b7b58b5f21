"""The working out of measures, with how far it is."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from typing import TYPE_CHECKING

from unvek.cli.options import say_who
from unvek.cli.progress import progress_of

if TYPE_CHECKING:
    from unvek.core.evidence.evidence import Evidence
    from unvek.core.evidence.gathering import Selection
    from unvek.core.logbook.place import Place
    from unvek.core.logbook.store import Logbook
    from unvek.core.session.measuring.working_out import Manner


@contextmanager
def measuring_shown(again: bool = False, insists: bool = False, waits: bool = False) -> "Iterator[Manner]":
    """Have what is worked out in this manner shown, on standard error."""
    from unvek.core.session.measuring.working_out import Manner

    manner = Manner(again=again, insists=insists, waits=waits, on_wait=say_who)
    bar = progress_of("measuring outputs", "measures of outputs worked out")
    try:
        yield replace(manner, progress=bar.show)
    finally:
        bar.end()


def gather_evidence(logbook: "Logbook", selection: "Selection | None" = None) -> "Evidence":
    """Gather the evidence, work out what the plan measures of it and is not known yet, and keep that."""
    from unvek.core.evidence.gathering import EVERYTHING, gather
    from unvek.core.session.measuring.working_out import work_out

    with measuring_shown() as manner:
        return work_out(logbook, gather(logbook, selection or EVERYTHING), manner).evidence


def measure_what_was_made(place: "Place") -> None:
    """Work out what a plan measures of the outputs that were just made, if there are any."""
    from unvek.core.logbook.store import Logbook

    with Logbook.open(place) as logbook:
        measure_all(logbook, logbook.has_outputs)


def measure_all(logbook: "Logbook", has_outputs: Callable[[], bool]) -> None:
    """Work out what the newest plan measures, of every machine's runs, where it measures or runs put out anything."""
    plan = logbook.newest_plan()
    if plan is None or not (plan.plan.measures or has_outputs()):
        return
    from unvek.core.errors import InputError
    from unvek.core.evidence.gathering import Selection

    try:
        gather_evidence(logbook, Selection(across_rigs=True))
    except InputError:
        pass  # no run of the newest plan counts
