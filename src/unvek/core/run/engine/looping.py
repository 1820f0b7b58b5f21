"""Does a run say the same thing over and over? Told from its tokens as they come, at the same cost for each."""

from collections import deque

STRETCH = 20  # tokens
LONGEST_PERIOD = 4000  # tokens; a repetition further apart is not looked for


class LoopWatch:
    """Counts how often in a row the same stretch of tokens has come.

    A repetition of period p (the tokens equal those p before them) that has lasted for n tokens is n / p times in
    a row the same; a period of less than 20 tokens counts in stretches of 20, so that a short stutter is no loop.
    """

    def __init__(self) -> None:
        self._latest: deque[str] = deque(maxlen=STRETCH)
        self._seen_at: dict[tuple[str, ...], int] = {}
        self._count = 0
        self._period = 0
        self._lasted = 0

    def take(self, token: str) -> None:
        self._latest.append(token)
        self._count += 1
        if self._count < STRETCH:
            return
        stretch = tuple(self._latest)
        before = self._seen_at.get(stretch)
        period = 0 if before is None else self._count - before
        if period and period == self._period:
            self._lasted += 1
        else:
            self._period, self._lasted = period, 0 if not period else period + STRETCH
        self._seen_at[stretch] = self._count
        if len(self._seen_at) > 2 * LONGEST_PERIOD:
            self._seen_at = {key: at for key, at in self._seen_at.items() if self._count - at < LONGEST_PERIOD}

    @property
    def times_in_a_row(self) -> int:
        """How often the stretch that came last has come in a row; 1 where nothing repeats."""
        return self._lasted // max(self._period, STRETCH) if self._period else 1
