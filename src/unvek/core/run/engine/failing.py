"""Variants that fail alike whatever is asked of them: what is wrong is known by then, and need not be said again.

Runs that were ended by a limit are not among them: how long a run takes and how much it writes depends on what it is
asked, and the next prompt may be a shorter one.
"""

import re
from dataclasses import dataclass, field

from unvek.core.run.events.record import FAILED, OUTCOMES

LAUNCHES = 2  # whose every run has failed alike
FEWEST_CELLS = 3  # that failed, where there are more: a crash ends its launch, and one prompt or two may be the cause


QUOTED = re.compile(r"'[^']*'|\"[^\"]*\"")


def _unquoted(error: str) -> str:
    """Return an error without what it quotes, such as a prompt: at the same place it is the same."""
    return QUOTED.sub("''", error)


@dataclass(slots=True)
class Failing:
    """What has failed of one variant, since something of it last went well or failed otherwise."""

    error: str | None = None
    cells: set[str] = field(default_factory=set)
    launches: set[int] = field(default_factory=set)

    def take(self, launch: int, cell: str, status: str, error: str | None) -> None:
        """Note how a run ended."""
        if status == FAILED:
            said = f"{status}: {error or 'nothing was said'}"
            if self.error is None or _unquoted(said) != _unquoted(self.error):
                self._forget(said)
            self.cells.add(cell)
            self.launches.add(launch)
        elif status in OUTCOMES:
            self._forget(None)

    def _forget(self, error: str | None) -> None:
        self.error = error
        self.cells.clear()
        self.launches.clear()

    def is_hopeless(self, cells: int) -> bool:
        """Whether the rest need not be tried, of a variant that has so many cells."""
        return len(self.launches) >= LAUNCHES and len(self.cells) >= min(FEWEST_CELLS, cells)
