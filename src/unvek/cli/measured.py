"""The working out of measures shown while it goes on: a bar where there is a terminal, else a line now and then."""

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from time import monotonic
from typing import TYPE_CHECKING

from unvek.cli.options import say_who, tell

if TYPE_CHECKING:
    from unvek.core.evidence.evidence import Evidence
    from unvek.core.evidence.gathering import Selection
    from unvek.core.logbook.store import Logbook
    from unvek.core.session.measuring.working_out import Manner

SHOWN_AFTER_S = 0.5
TOLD_EVERY_S = 5.0


@contextmanager
def measuring_shown(again: bool = False, insists: bool = False, waits: bool = False) -> "Iterator[Manner]":
    """Have what is worked out in this manner shown, on standard error."""
    from unvek.core.session.measuring.working_out import Manner

    manner = Manner(again=again, insists=insists, waits=waits, on_wait=say_who)
    bar = _Bar() if sys.stderr.isatty() else _Lines()
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


def measure_what_was_made(path: Path) -> None:
    """Work out what a plan measures of the outputs that were just made, if there are any."""
    from unvek.core.logbook.store import Logbook

    with Logbook.open(path) as logbook:
        plan = logbook.newest_plan()
        if plan is None or not (plan.plan.measures or logbook.has_outputs()):
            return
        from unvek.core.errors import InputError
        from unvek.core.evidence.gathering import Selection

        try:
            gather_evidence(logbook, Selection(across_rigs=True))
        except InputError:
            pass  # nothing but warm-ups was made


class _Lines:
    def __init__(self) -> None:
        self._told_s = self._began_s = monotonic()
        self._first: int | None = None  # how many were done when this was first told: without any working out

    def show(self, done: int, count: int) -> None:
        left = self._left(done, count)
        if monotonic() - self._told_s > TOLD_EVERY_S:
            tell(f"{done} of {count} measures of outputs worked out{left}")
            self._told_s = monotonic()

    def end(self) -> None:
        """There is nothing to take away."""

    def _left(self, done: int, count: int) -> str:
        from unvek.core.units import duration_words

        self._first = done if self._first is None else self._first
        since = done - self._first
        took_s = monotonic() - self._began_s
        return f", about {duration_words(took_s / since * (count - done))} left" if since else ""


class _Bar(_Lines):
    """A bar that is taken away at the end, drawn only where it takes long enough to be seen."""

    def __init__(self) -> None:
        super().__init__()
        self._end: Callable[[], None] | None = None

    def show(self, done: int, count: int) -> None:
        left = self._left(done, count)
        if self._end is None:
            if monotonic() - self._began_s < SHOWN_AFTER_S:
                return
            from unvek.show.terminal.progress import progress_bar

            self._draw, self._end = progress_bar("measuring outputs")
        self._draw(done, count, f"{done} of {count}{left}")

    def end(self) -> None:
        if self._end is not None:
            self._end()
