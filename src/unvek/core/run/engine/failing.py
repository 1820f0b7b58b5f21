"""Variants that fail alike whatever is asked of them: what is wrong is known by then, and need not be said again."""

import re
from dataclasses import dataclass, field

from unvek.core.run.events.record import FAILURES, FINISHED

LAUNCHES = 2  # whose every run has failed alike
FEWEST_CELLS = 2  # that failed, where there are more: one may be what is wrong


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
        if status == FINISHED:
            self._forget(None)
        elif status in FAILURES:
            said = f"{status}: {error or 'nothing was said'}"
            if self.error is None or _unquoted(said) != _unquoted(self.error):
                self._forget(said)
            self.cells.add(cell)
            self.launches.add(launch)

    def _forget(self, error: str | None) -> None:
        self.error = error
        self.cells.clear()
        self.launches.clear()

    def is_hopeless(self, cells: int) -> bool:
        """Whether the rest need not be tried, of a variant that has so many cells."""
        return len(self.launches) >= LAUNCHES and len(self.cells) >= min(FEWEST_CELLS, cells)
