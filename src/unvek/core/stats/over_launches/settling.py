"""How many rounds it takes to know a ratio as well as is wanted."""

import math

from unvek.core.stats.over_launches.launches import Sample, paired_levels
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
        levels = paired_levels(ours.where(ours.rounds <= pilot), theirs.where(theirs.rounds <= pilot))
        spread = levels.spread() if levels is not None else None
        if spread is not None:
            found.append(rounds_for(math.sqrt(spread[0]), spread[1] + 1, precision))
    return max(found, default=None)
