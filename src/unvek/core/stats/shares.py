"""Shares of yes and no: exact intervals, which few successes in a row do not make sure."""

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from unvek.core.stats.grouping import Whole, group_means, numbered
from unvek.core.stats.quantiles import normal_quantile
from unvek.core.stats.student import CONFIDENCE, wilson

Truths = NDArray[np.bool_]

TURNS = 60


def clopper_pearson(count: float, total: int, confidence: float = CONFIDENCE) -> tuple[float, float]:
    """Return the interval of a share, count of total (Clopper and Pearson 1934): it holds at least as often as it says.

    A count between two whole numbers (an item of which half the repeats did) gets the wider ends of both.
    """
    tail = (1 - confidence) / 2
    low_count, high_count = math.floor(count), math.ceil(count)
    low = 0.0 if low_count == 0 else _where(lambda share: at_least(low_count, total, share) < tail)
    high = 1.0 if high_count == total else _where(lambda share: at_least(high_count + 1, total, share) < 1 - tail)
    return low, high


def share_by_launch(is_one: Truths, launches: Whole) -> tuple[float, float, bool]:
    """Return Wilson's interval of a share over runs that come in launches, and whether ones come together in these.

    is_one: (n,) of which runs it holds; launches: (n,) of which each is. Where launches differ by more than chance, n
    runs are worth n / d independent ones, with d the variance of the launches' shares over that of independent runs
    (Kish 1965, "Survey Sampling", section 8.2), and no fewer than there are launches. Where all are ones they came
    together; where none is, nothing tells, and runs are taken for independent.
    """
    n, count = len(is_one), int(np.count_nonzero(is_one))
    places, launch_count = numbered(launches)
    if not count or launch_count == n:
        return *wilson(count, n), False
    if count == n:
        return *wilson(launch_count, launch_count), True
    if launch_count == 1:
        return *wilson(count, n), False
    share, sizes = count / n, np.bincount(places)
    of_launches = group_means(is_one.astype(float), places, launch_count)
    apart = float(np.sum(sizes * (of_launches - share) ** 2)) / (launch_count - 1)
    together = apart / (share * (1 - share))
    worth = max(float(launch_count), n / max(1.0, together))
    return *wilson(share * worth, worth), together > 1


def at_least(count: int, total: int, share: float) -> float:
    """Return the probability of so many or more successes of total, each of which has this share."""
    if count <= 0:
        return 1.0
    if share <= 0.0 or share >= 1.0:
        return float(share >= 1.0)
    logs = math.log(share), math.log1p(-share)
    few = count > total * share
    terms = range(count, total + 1) if few else range(count)
    found = math.fsum(math.exp(_log_ways(k, total) + k * logs[0] + (total - k) * logs[1]) for k in terms)
    return found if few else 1 - found


def sign_test(more: int, fewer: int) -> float:
    """Return how likely a record at least so lopsided is where both are as likely, two-sided (Conover 1999, 3.4).

    Of five all alike it is 1 in 16: under six, a record alone can show nothing at 95 of 100.
    """
    return min(1.0, 2 * at_least(max(more, fewer), more + fewer, 0.5))


def paired_shares(more: int, fewer: int, total: int, share_below: float) -> tuple[float, float]:
    """Return the interval of a difference of two shares of the same items (Tango 1998, "Equivalence test and confidence
    interval for the difference in proportions for the paired-sample design", equations 2 to 4).

    more and fewer: the items of which one side alone was right, ours or theirs; share_below: as `student.share_below`.
    Where both were right of the same items it has a width too: about z^2 / (total + z^2) to either side.
    """
    z, found = normal_quantile(share_below), (more - fewer) / total

    def ends(low: float, high: float, wanted: float) -> float:
        for _ in range(TURNS):
            middle = (low + high) / 2
            low, high = (middle, high) if _score(more, fewer, total, middle) > wanted else (low, middle)
        return (low + high) / 2

    return ends(-1.0, found, z), ends(found, 1.0, -z)


def _score(more: int, fewer: int, total: int, difference: float) -> float:
    """How far what was found lies from a difference, in standard errors under it; it falls as the difference grows."""
    b = -more - fewer + (2 * total - more + fewer) * difference
    c = -fewer * difference * (1 - difference)
    share = (math.sqrt(max(0.0, b * b - 8 * total * c)) - b) / (4 * total)  # of fewer, the likeliest under it
    variance = total * (2 * share + difference * (1 - difference))
    apart = more - fewer - total * difference
    return apart / math.sqrt(variance) if variance > 0 else math.copysign(math.inf, apart) if apart else 0.0


def _log_ways(k: int, n: int) -> float:
    return math.lgamma(n + 1) - math.lgamma(k + 1) - math.lgamma(n - k + 1)


def _where(is_below: Callable[[float], bool]) -> float:
    """Return the share up to which something holds."""
    low, high = 0.0, 1.0
    for _ in range(TURNS):
        middle = (low + high) / 2
        low, high = (middle, high) if is_below(middle) else (low, middle)
    return (low + high) / 2
