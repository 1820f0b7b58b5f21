"""How long a run, and all that is left, will take: as ranges, from what has been seen.

Times vary by factors, so all of this is done with their logarithms. Where few runs of a kind were seen, the spread is
held to be partly what runs of all kinds have lately shown (the prior): one run says nothing of it.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass

from unvek.core.plan.cells import Cell
from unvek.core.stats.quantiles import student_quantile

PRIOR_SPREAD, PRIOR_WEIGHT = 0.08, 3  # of logarithms of seconds; as if so many runs had shown it
FORGET = 0.98  # how much of what misses have taught stays after each run: a machine is not always as noisy
LEAST_SPREAD = 0.01
UPPER_END = 0.95  # the quantile at the upper end of a range that holds 9 in 10
START_S = 0.25  # of a process, before it loads, where nothing is known
WIDEN = 0.1  # a whole plan: what the figures so far can't know, such as another load on the machine

# What a forecast goes by, nearest first: seconds a step where the cell says how many steps it has, else seconds a run.
SAME_CELL, SAME_VARIANT, OTHER_VARIANTS = "same cell", "same variant", "other variants"
LOAD, A_STEP = "load", ", a step"


@dataclass(frozen=True, slots=True, kw_only=True)
class Forecast:
    """Seconds, from and to, and what was gone by."""

    low_s: float
    high_s: float
    basis: str


class Tally:
    """Mean and spread of the logarithms of seconds, one at a time (Welford 1962); any number takes the same room."""

    __slots__ = ("_squares", "count", "mean")

    def __init__(self) -> None:
        self.count = 0
        self.mean = 0.0
        self._squares = 0.0

    def add(self, seconds: float) -> None:
        log = math.log(max(seconds, 1e-9))
        self.count += 1
        before = log - self.mean
        self.mean += before / self.count
        self._squares += before * (log - self.mean)

    def spread(self, prior: float = PRIOR_SPREAD) -> float:
        weight = PRIOR_WEIGHT + max(0, self.count - 1)
        return max(LEAST_SPREAD, math.sqrt((PRIOR_WEIGHT * prior**2 + self._squares) / weight))

    @property
    def seconds(self) -> float:
        return math.exp(self.mean)

    def range_of_next(self, prior: float = PRIOR_SPREAD) -> tuple[float, float]:
        """Return where the next one lies, nine times in ten, if such runs go on as they did."""
        half = self._factor() * self.spread(prior) * math.sqrt(1 + 1 / self.count)
        return math.exp(self.mean - half), math.exp(self.mean + half)

    def range_of_sum(self, number: int, prior: float = PRIOR_SPREAD) -> tuple[float, float]:
        """Return where the sum of so many more lies: what varies evens out, what is not known well does not."""
        half = self._factor() * self.spread(prior) * math.sqrt(1 / number + 1 / self.count)
        return number * math.exp(self.mean - half), number * math.exp(self.mean + half)

    def _factor(self) -> float:
        return student_quantile(UPPER_END, PRIOR_WEIGHT + self.count - 1)


class Forecaster:
    """Learns from every run, and says how long the next ones will take. Cold runs and warm ones are kept apart."""

    def __init__(self) -> None:
        self._tallies: dict[tuple[str, str, bool], Tally] = {}
        self._missed_squares, self._missed_weight = PRIOR_WEIGHT * PRIOR_SPREAD**2, float(PRIOR_WEIGHT)

    @property
    def _prior(self) -> float:
        """How far runs have lately lain from what their cell had shown before."""
        return math.sqrt(self._missed_squares / self._missed_weight)

    def learn(self, cell: str, variant: str, steps: int, time_s: float, cold: bool) -> None:
        """Take note of a run that finished."""
        same = self._tallies.get((SAME_CELL, cell, cold))
        if same is not None:
            missed = math.log(max(time_s, 1e-9)) - same.mean
            self._missed_squares = FORGET * self._missed_squares + missed**2 / (1 + 1 / same.count)
            self._missed_weight = FORGET * self._missed_weight + 1
        self._tally(SAME_CELL, cell, cold).add(time_s)
        for basis, name in ((SAME_VARIANT, variant), (OTHER_VARIANTS, "")):
            self._tally(basis, name, cold).add(time_s)
            if steps:
                self._tally(basis + A_STEP, name, cold).add(time_s / steps)

    def learn_load(self, variant: str, load_s: float) -> None:
        self._tally(LOAD, variant, True).add(load_s)

    def _tally(self, basis: str, name: str, cold: bool) -> Tally:
        return self._tallies.setdefault((basis, name, cold), Tally())

    def of_run(self, cell: Cell, cold: bool) -> Forecast | None:
        """Return how long one run of a cell will take; None where nothing like it was ever seen."""
        found = self._nearest(cell, cold)
        if found is None:
            return None
        tally, basis, times = found
        low_s, high_s = tally.range_of_next(self._prior)
        return Forecast(low_s=times * low_s, high_s=times * high_s, basis=basis)

    def _nearest(self, cell: Cell, cold: bool) -> tuple[Tally, str, int] | None:
        """Return the nearest thing that was seen: its tally, its name, and how many of it make a run."""
        steps = _steps_of(cell)
        a_step = A_STEP if steps is not None else ""
        ways = (
            (SAME_CELL, "", cell.key, 1),
            (SAME_VARIANT, a_step, cell.variant.name, steps or 1),
            (OTHER_VARIANTS, a_step, "", steps or 1),
        )
        for basis, unit, name, times in ways:
            for known in (cold, not cold):
                tally = self._tallies.get((basis + unit, name, known))
                if tally is not None:
                    return tally, basis, times
        return None

    def of_all(self, work: Iterable["Work"], pause_s: float) -> tuple[float, float] | None:
        """Return (low, high) seconds for all of the work; None where nothing like any of it was ever seen."""
        low_s = high_s = 0.0
        for part in work:
            for number, cold in ((part.cold_runs, True), (part.warm_runs, False)):
                found = self._nearest(part.cell, cold) if number else None
                if number and found is None:
                    return None
                if found is not None:
                    low, high = found[0].range_of_sum(number, self._prior)
                    low_s, high_s = low_s + found[2] * low, high_s + found[2] * high
            load = self._tallies.get((LOAD, part.cell.variant.name, True))
            start_s = part.launches * (START_S + pause_s + (load.seconds if load is not None else 0.0))
            low_s, high_s = low_s + start_s, high_s + start_s
        return low_s * (1 - WIDEN), high_s * (1 + WIDEN)


@dataclass(frozen=True, slots=True, kw_only=True)
class Work:
    """So many runs of a cell (as a sample of its variant's), in so many launches."""

    cell: Cell
    cold_runs: int
    warm_runs: int
    launches: int


def _steps_of(cell: Cell) -> int | None:
    steps = cell.settings.get("steps")
    return steps if isinstance(steps, int) and steps > 0 else None
