"""How far something long is, on standard error: a bar where there is a terminal, else a line now and then."""

import sys
from collections.abc import Callable
from time import monotonic

from unvek.cli.options import tell

SHOWN_AFTER_S = 0.5
TOLD_EVERY_S = 5.0


def progress_of(title: str, words: str) -> "Lines":
    """Return what shows how far something is: `title` stands at a bar, `words` behind the counts of a line."""
    return _Bar(title, words) if sys.stderr.isatty() else Lines(title, words)


class Lines:
    """A line now and then."""

    def __init__(self, title: str, words: str) -> None:
        self._title, self._words = title, words
        self._told_s = self._began_s = monotonic()
        self._first: int | None = None  # how many were done when this was first told: without any work

    def show(self, done: int, count: int, more: str = "") -> None:
        left = self._left(done, count)
        if monotonic() - self._told_s > TOLD_EVERY_S:
            tell(f"{done} of {count} {self._words}{left}{more}")
            self._told_s = monotonic()

    def end(self) -> None:
        """There is nothing to take away."""

    def _left(self, done: int, count: int) -> str:
        from unvek.core.units import duration_words

        self._first = done if self._first is None else self._first
        since = done - self._first
        took_s = monotonic() - self._began_s
        return f", about {duration_words(took_s / since * (count - done))} left" if since else ""


class _Bar(Lines):
    """A bar that is taken away at the end, drawn only where it takes long enough to be seen."""

    def __init__(self, title: str, words: str) -> None:
        super().__init__(title, words)
        self._end: Callable[[], None] | None = None

    def show(self, done: int, count: int, more: str = "") -> None:
        left = self._left(done, count)
        if self._end is None:
            if monotonic() - self._began_s < SHOWN_AFTER_S:
                return
            from unvek.show.terminal.progress import progress_bar

            self._draw, self._end = progress_bar(self._title)
        self._draw(done, count, f"{done} of {count}{left}{more}")

    def end(self) -> None:
        if self._end is not None:
            self._end()
