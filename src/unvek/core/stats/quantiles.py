"""Quantiles: of ordered numbers, of the normal distribution and of Student's, as far as intervals need them.

SciPy has all of them. Its import takes longer than all the rest of a comparison of some hundred runs, and every finding
would wait for it; the tests hold what is here against it. NumPy is not needed either: forecasts are made while models
run, and those runs begin without it.
"""

import math
from collections.abc import Sequence
from functools import cache
from statistics import NormalDist

NORMAL = NormalDist()
MOST_STEPS = 100
MANY_DEGREES = 500  # from here on the expansion is as exact as the sum, which grows long


def quantile(ordered: Sequence[float], share: float) -> float:
    """Return a quantile of ordered numbers, between the two nearest (Hyndman and Fan 1996, definition 7)."""
    place = share * (len(ordered) - 1)
    below = int(place)
    above = min(below + 1, len(ordered) - 1)
    return ordered[below] + (place - below) * (ordered[above] - ordered[below])


def normal_quantile(share: float) -> float:
    """Return the value below which this share of the standard normal distribution lies; 0 < share < 1."""
    return NORMAL.inv_cdf(share)


def normal_share(value: float) -> float:
    """Return the share of the standard normal distribution that lies below the value."""
    return NORMAL.cdf(value)


def student_quantile(share: float, degrees: float) -> float:
    """Return the value below which this share of Student's distribution lies; 0.5 <= share < 1, degrees >= 1.

    Between two whole numbers of degrees its logarithm is taken to be straight in their reciprocal: from 2 degrees on
    that is too wide by less than 1 %.
    """
    fewer = int(degrees)
    if fewer == degrees:
        return _whole_student_quantile(share, fewer)
    weight = (1 / degrees - 1 / (fewer + 1)) / (1 / fewer - 1 / (fewer + 1))
    wide, narrow = (math.log(_whole_student_quantile(share, whole)) for whole in (fewer, fewer + 1))
    return math.exp(weight * wide + (1 - weight) * narrow)


@cache
def _whole_student_quantile(share: float, degrees: int) -> float:
    """Of a whole number of degrees.

    The distribution is then a finite sum (Abramowitz and Stegun 1964, 26.7.3 and 26.7.4) in the angle whose tangent is
    t / sqrt(degrees). Of many degrees the expansion is taken.
    """
    if degrees > MANY_DEGREES:
        return _expanded(normal_quantile(share), degrees)
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
    further, term, squared = 0.0, 1.0, math.cos(angle) ** 2
    for k in range(2 if is_odd else 1, degrees - 2, 2):
        term *= k / (k + 1) * squared
        further += term
    if is_odd:
        return 2 / math.pi * (angle + math.sin(angle) * math.cos(angle) * (1 + further))
    return math.sin(angle) * (1 + further)


def _expanded(x: float, degrees: int) -> float:
    """x + g1 / n + g2 / n^2 + g3 / n^3 + g4 / n^4, with x the normal quantile (Abramowitz and Stegun 1964, 26.7.5)."""
    g1 = (x**3 + x) / 4
    g2 = (5 * x**5 + 16 * x**3 + 3 * x) / 96
    g3 = (3 * x**7 + 19 * x**5 + 17 * x**3 - 15 * x) / 384
    g4 = (79 * x**9 + 776 * x**7 + 1482 * x**5 - 1920 * x**3 - 945 * x) / 92160
    return x + g1 / degrees + g2 / degrees**2 + g3 / degrees**3 + g4 / degrees**4
