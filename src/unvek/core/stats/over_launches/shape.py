"""Shape: whether launches fall into two groups, as where a mode comes and goes."""

import math
from dataclasses import dataclass

import numpy as np

from unvek.core.stats.grouping import Floats

FEWEST = 4  # launches, of which two groups can be told
# How far apart, in standard deviations within them, the best two groups of n normal values lie in 5 of 1000 samples
# (20,000 to 100,000 each; `python benchmarks/bench_shape.py` makes them again).
BY_CHANCE = {4: 38.6, 5: 18.9, 6: 13.5, 7: 11.6, 8: 10.8, 10: 9.8, 15: 9.5, 20: 9.8, 30: 10.8, 50: 12.6, 100: 16.2}
NOTHING_BETWEEN = 1 / 3  # of the way from one group's mean to the other's: an even spread has no such gap


@dataclass(frozen=True, slots=True)
class TwoGroups:
    """(n,) which values are of the upper group, and the mean of each."""

    is_upper: np.ndarray
    lower: float
    upper: float


def two_groups(values: Floats) -> TwoGroups | None:
    """Return the two groups that independent values (n,) fall into; None where one normal group would do.

    Of all ways to cut the ordered values in two, that with the least sum of squares within (Engelman and Hartigan 1969,
    "Percentage Points of a Test for Clusters"). The difference of means is held against what normal values show by
    chance, and there must be a gap.
    """
    n = len(values)
    if n < FEWEST:
        return None
    middle = float(np.mean(values))
    ordered = np.sort(values) - middle
    count, far = apart(ordered)
    lower, upper = float(np.mean(ordered[:count])), float(np.mean(ordered[count:]))
    gap = ordered[count] - ordered[count - 1]
    if gap <= 0 or far <= least_apart(n) or gap < NOTHING_BETWEEN * (upper - lower):
        return None
    return TwoGroups(values - middle > ordered[count - 1], middle + lower, middle + upper)


def apart(ordered: Floats) -> tuple[int, float]:
    """Return how many values (n,), in their order, the lower of the best two groups has, and how far these are apart.

    That is the difference of their means, in standard deviations within them, as if both had n / 2 values.
    """
    n = len(ordered)
    counts = np.arange(1, n)
    sums, squares = np.cumsum(ordered), np.cumsum(ordered**2)
    lower, upper = sums[:-1] / counts, (sums[-1] - sums[:-1]) / (n - counts)
    within = squares[-1] - counts * lower**2 - (n - counts) * upper**2
    best = int(np.argmin(within))
    between = float(upper[best] - lower[best]) * np.sqrt((best + 1) * (n - best - 1) / n)
    spread = np.sqrt(max(float(within[best]), 0.0) / (n - 2))
    return best + 1, float(between / spread) if spread > 0 else np.inf


def least_apart(n: int) -> float:
    """Return how far apart two groups of n values must lie, in standard deviations; between known counts by a line."""
    counts = list(BY_CHANCE)
    beyond = math.sqrt(max(1.0, n / counts[-1]))
    return float(np.interp(n, counts, list(BY_CHANCE.values()))) * beyond
