"""Sums of independent values that each have an interval of their own.

The ends of the sum lie as far off as the squares of how far the values' ends lie add up to (MOVER; Zou and Donner 2008,
"Construction of confidence limits about effect measures: a general approach", equations 6 and 7): exact where all are
normal, and near where some are skewed, since each side is taken by itself.
"""

import math
from collections.abc import Sequence

WithEnds = tuple[float, float | None, float | None]  # a value and the ends of its interval, None where not known


def summed(parts: Sequence[WithEnds]) -> WithEnds:
    """Return the sum of values with its interval; an end is None where that of one of them is not known."""
    value = math.fsum(part[0] for part in parts)
    below = [None if low is None else middle - low for middle, low, _ in parts]
    above = [None if high is None else high - middle for middle, _, high in parts]
    low = None if any(one is None for one in below) else value - math.hypot(*(one or 0.0 for one in below))
    high = None if any(one is None for one in above) else value + math.hypot(*(one or 0.0 for one in above))
    return value, low, high


def times(part: WithEnds, factor: float) -> WithEnds:
    """Return a value and its interval so many times over; of a negative factor the ends change places."""
    value, low, high = part
    ends = (None if low is None else factor * low, None if high is None else factor * high)
    return factor * value, *(ends if factor >= 0 else ends[::-1])
