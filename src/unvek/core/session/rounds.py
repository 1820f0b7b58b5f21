"""A plan's rounds as they are made: those that it has for sure, then those that settle its ratios."""

from collections.abc import Callable, Collection, Iterator

from unvek.core.logbook.store import Logbook
from unvek.core.plan.cells import Cell
from unvek.core.plan.model import Plan
from unvek.core.run.engine.engine import PendingRun, pending_groups
from unvek.core.run.events.record import Slot
from unvek.core.run.remaining import Remaining
from unvek.core.session.settling import settled_plan
from unvek.core.session.what_is_left import Standing, remaining_of


class RoundsToMake:
    """A plan's pending runs, round after round; when its own rounds are made, those that settle its ratios."""

    def __init__(
        self, plan: Plan, cells: tuple[Cell, ...], logbook: Logbook, rig: str,
        done: Callable[[Collection[Cell], int], set[Slot]] | None = None,
    ):  # fmt: skip
        """done says which slots of some cells a round has filled, where the logbook may not be there to be asked."""
        self._asked, self._cells, self._logbook, self._rig = plan, cells, logbook, rig
        self._done = done or (lambda cells, number: logbook.done(cells, rig, number))
        self.plan = settled_plan(plan, cells, logbook, rig)
        self.remaining: Remaining = remaining_of(self.plan, cells, logbook, rig)
        self.pending = self.remaining.runs
        self._again = 0
        self.made_again: list[int] = []  # rounds

    @property
    def planned(self) -> int:
        """How many runs there are to be, in all."""
        return len(self._cells) * self.plan.schedule.runs_of_a_cell + self._again

    def standing(self) -> Standing:
        return Standing(self.plan, self.remaining, self.planned)

    def groups(self) -> Iterator[list[PendingRun]]:
        """Yield what is to be made, for the engine."""
        yield from pending_groups(self.plan, self._cells, self._done)

    def disturbed(self) -> bool:
        """Take out the rounds in which something else took the machine; `groups` then yields them again."""
        # Most runs are begun without the packages for numbers, which take long to import.
        from unvek.core.session.undisturbed import void_disturbed_rounds

        found = void_disturbed_rounds(self._logbook, self._cells, self._rig)
        if not found:
            return False
        self.made_again += found
        added = remaining_of(self.plan, self._cells, self._logbook, self._rig)
        self.remaining.add(added)
        self.pending += added.runs
        self._again += added.runs
        return True

    def grown(self) -> bool:
        """Look whether it takes more rounds, now that these are made; `groups` then yields what these add."""
        settled = settled_plan(self._asked, self._cells, self._logbook, self._rig)
        if settled.schedule.rounds <= self.plan.schedule.rounds:
            return False
        self.plan = settled
        added = remaining_of(settled, self._cells, self._logbook, self._rig)
        self.remaining.add(added)
        self.pending += added.runs
        return True
