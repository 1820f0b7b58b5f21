"""How many rounds it takes to know a ratio as well as is wanted."""

import math

import numpy as np

from unvek.core.stats.grouping import Floats
from unvek.core.stats.launches import Sample, paired_levels
from unvek.core.stats.student import student_factor


def rounds_for(spread: float, pilot: int, precision: float) -> int:
    """Return how many rounds make a ratio's interval reach no further than a factor 1 + precision from its value.

    spread: the standard deviation of the log ratio over the first `pilot` pairs of launches. The number is settled
    once, by these alone (Stein 1945, equation 4), so that the interval keeps its promise whatever comes after:
    n = ceil((t spread / log(1 + precision))^2), and `pilot` at least.
    """
    wanted = student_factor(pilot) * spread / math.log1p(precision)
    return max(pilot, math.ceil(wanted * wanted - 1e-9))


def rounds_wanted(pairs: list[tuple[Sample, Sample]], pilot: int, precision: float) -> int | None:
    """Return the rounds that the ratio of each pair of samples needs, the most of them; None where none can be told."""
    found = []
    for ours, theirs in pairs:
        logs = _of_pilot(ours, theirs, pilot)
        if logs is not None and len(logs) >= 2:
            found.append(rounds_for(float(np.std(logs, ddof=1)), len(logs), precision))
    return max(found, default=None)


def _of_pilot(ours: Sample, theirs: Sample, pilot: int) -> Floats | None:
    return paired_levels(ours.where(ours.rounds <= pilot), theirs.where(theirs.rounds <= pilot))
