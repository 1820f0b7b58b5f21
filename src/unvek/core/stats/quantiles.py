"""The normal distribution and Student's, as far as intervals need them.

SciPy has both. Its import takes longer than all the rest of a comparison of some hundred runs, and every finding would
wait for it; the tests hold what is here against it.
"""

import math
from functools import cache
from statistics import NormalDist

import numpy as np

NORMAL = NormalDist()
MOST_STEPS = 100


def normal_quantile(share: float) -> float:
    """Return the value below which this share of the standard normal distribution lies; 0 < share < 1."""
    return NORMAL.inv_cdf(share)


def normal_share(value: float) -> float:
    """Return the share of the standard normal distribution that lies below the value."""
    return NORMAL.cdf(value)


@cache
def student_quantile(share: float, degrees: int) -> float:
    """Return the value below which this share of Student's distribution lies; 0.5 <= share < 1.

    degrees: of freedom, a whole number from 1: the distribution is then a finite sum (Abramowitz and Stegun 1964,
    26.7.3 and 26.7.4) in the angle whose tangent is t / sqrt(degrees).
    """
    within = 2 * share - 1  # of the distribution, between -t and t
    angle = math.atan(normal_quantile(share) / math.sqrt(degrees))
    # How fast the share within grows with the angle, but for cos(angle)^(degrees - 1). It only ever grows slower, so
    # that Newton's steps from below, where the normal quantile lies, stay below.
    slope = 2 / math.sqrt(math.pi) * math.exp(math.lgamma((degrees + 1) / 2) - math.lgamma(degrees / 2))
    for _ in range(MOST_STEPS):
        step = (within - _share_within(angle, degrees)) / (slope * math.cos(angle) ** (degrees - 1))
        if step <= 1e-15 * angle:
            break
        angle += step
    return math.sqrt(degrees) * math.tan(angle)


def _share_within(angle: float, degrees: int) -> float:
    """even: sin (1 + 1/2 cos^2 + 1 3 / (2 4) cos^4 + ...); odd: 2/pi (angle + sin cos (1 + 2/3 cos^2 + ...))."""
    is_odd = degrees % 2 == 1
    if degrees == 1:
        return 2 / math.pi * angle
    k = np.arange(2 if is_odd else 1, degrees - 2, 2)
    series = 1 + float(np.sum(np.cumprod(k / (k + 1) * math.cos(angle) ** 2)))
    if is_odd:
        return 2 / math.pi * (angle + math.sin(angle) * math.cos(angle) * series)
    return math.sin(angle) * series
