"""An estimate with its interval: Student's, and the one that stays true when the spread decides how many are taken."""

import math
from dataclasses import dataclass

import numpy as np

from unvek.core.stats.grouping import Floats
from unvek.core.stats.quantiles import normal_quantile, student_quantile

CONFIDENCE = 0.95
OFTEN = 0.8  # how often what can be told is told


@dataclass(frozen=True, slots=True, kw_only=True)
class Estimate:
    """A value with its 95 % interval; low and high are None where the data give no interval (one launch)."""

    value: float
    low: float | None
    high: float | None


def share_below(comparisons: int = 1) -> float:
    """Return the share below the upper end of a two-sided 95 % interval, or of one of so many that hold together."""
    return 1 - (1 - CONFIDENCE) / (2 * comparisons)


def student_factor(count: int, comparisons: int = 1) -> float:
    """Return Student's t for a two-sided 95 % interval from this many values, as for `share_below`."""
    return student_quantile(share_below(comparisons), count - 1)


def mean_and_half_width(values: Floats, pilot: int | None = None, comparisons: int = 1) -> tuple[float, float | None]:
    """Return the mean of independent values (n,) and the half-width of its 95 % interval (None for one value).

    Student's, and that of one of so many comparisons. Where the spread of the first `pilot` values has decided how many
    were taken, the spread and the degrees of freedom of these alone are used: whatever n it led to, the interval then
    holds the truth as often as it says (Stein 1945, "A Two-Sample Test for a Linear Hypothesis Whose Power is
    Independent of the Variance", equation 5). With the spread of all values it would not: a spread that is small by
    chance ends the taking.
    """
    first = values if pilot is None or pilot < 2 else values[:pilot]
    if len(first) < 2:
        return float(np.mean(values)), None
    spread = float(np.std(first, ddof=1))
    return float(np.mean(values)), student_factor(len(first), comparisons) * spread / math.sqrt(len(values))


def estimate(values: Floats, pilot: int | None = None) -> Estimate:
    """Return the mean of independent values (n,) with its interval; as for `mean_and_half_width`."""
    mean, half_width = mean_and_half_width(values, pilot)
    if half_width is None:
        return Estimate(value=mean, low=None, high=None)
    return Estimate(value=mean, low=mean - half_width, high=mean + half_width)


def smallest_told(spread: float, count: int, degrees: float, comparisons: int = 1) -> float:
    """Return the smallest true difference that is told from none 8 times in 10, in the spread's own unit.

    spread: the standard deviation of one of `count` independent differences, known with so many degrees of freedom:
    (t(together) + t(0.8)) spread / sqrt(count) (Chow, Shao and Wang 2008, section 3.1).
    """
    factor = student_quantile(share_below(comparisons), degrees) + student_quantile(OFTEN, degrees)
    return factor * spread / math.sqrt(count)


def wilson(count: float, total: float) -> tuple[float, float]:
    """Return the 95 % interval of a share, count of total (Wilson 1927; Brown, Cai and DasGupta 2001, eq. 4)."""
    if total == 0:
        return 0.0, 1.0
    z = normal_quantile(0.5 + CONFIDENCE / 2)
    share = count / total
    centre = (share + z * z / (2 * total)) / (1 + z * z / total)
    half_width = z / (1 + z * z / total) * math.sqrt(share * (1 - share) / total + z * z / (4 * total * total))
    return max(0.0, centre - half_width), min(1.0, centre + half_width)
