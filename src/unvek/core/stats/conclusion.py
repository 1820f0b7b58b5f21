"""From a ratio's interval to one of four conclusions, and how many more rounds would settle an open one."""

import math
from bisect import bisect_left

from unvek.core.stats.launches import Ratio
from unvek.core.stats.quantiles import student_quantile
from unvek.core.stats.student import share_below

MOST_ROUNDS = 1000


def conclusion(ratio: Ratio | None, better_is_less: bool, words: tuple[str, str], margin: float) -> str | None:
    """Return words[0] (better), words[1] (worse), "same" or "unclear"; None where there is no interval.

    "same" is said where the whole interval lies within the margin of 1, so an interval that excludes 1 by less
    than anybody cares about is "same" too. The interval is that of its table: of all that is said of variants that do
    not differ, anything else is said in 5 of 100 tables at most.
    """
    low, high = (None, None) if ratio is None else (ratio.low_together, ratio.high_together)
    if low is None or high is None:
        return None
    if low >= 1 - margin and high <= 1 + margin:
        return "same"
    if high < 1:
        return words[0 if better_is_less else 1]
    if low > 1:
        return words[1 if better_is_less else 0]
    return "unclear"


def rounds_to_settle(ratio: Ratio, margin: float) -> int | None:
    """Return how many more rounds would settle an unclear ratio, if its value and spread stay as they are.

    Settled is an interval that excludes 1, or lies within the margin of it, whichever comes first. None where
    no number up to MOST_ROUNDS would do.
    """
    if ratio.spread is None:
        return None
    distance, spread = abs(math.log(ratio.value)), ratio.spread
    needed = max(distance, math.log1p(margin) - distance)
    counts, share = range(ratio.launches + 1, MOST_ROUNDS + 1), share_below(ratio.comparisons)

    def would_do(count: int) -> bool:
        return student_quantile(share, count - 1 + ratio.lent_degrees) * spread / math.sqrt(count) < needed

    few = bisect_left(counts, True, key=would_do)
    return counts[few] - ratio.launches if few < len(counts) else None
