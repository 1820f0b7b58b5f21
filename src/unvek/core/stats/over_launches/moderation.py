"""Variances lent to each other: what one comparison over few launches can't say of its spread, all of a table can.

The spread over three launches is hardly known. That of all variants of a table, on one machine and against one
reference, is known better; each takes of it what the variances' own disagreement allows (Smyth 2004, "Linear Models and
Empirical Bayes Methods for Assessing Differential Expression in Microarray Experiments", equations 4 to 8), and no more
than a share of how many comparisons there are: these share the reference's launches, so that they are fewer than they
seem.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import fmean, variance

MOST_LENT = 2 / 3  # degrees of freedom for each comparison
SHIFTED_TO = 6.0  # from where on the expansions of the functions below are exact to nine digits
TURNS = 60


@dataclass(frozen=True, slots=True)
class Lent:
    """What is lent to each comparison: a variance, and how many degrees of freedom it is worth (0: nothing)."""

    variance: float
    degrees: float

    def with_own(self, own: float, degrees: int) -> tuple[float, float]:
        """Return (variance, degrees) of a comparison that has these of its own (Smyth 2004, section 4)."""
        together = self.degrees + degrees
        return (self.degrees * self.variance + degrees * own) / together, together


NOTHING_LENT = Lent(0.0, 0.0)


def lent(variances: Sequence[float], degrees: Sequence[int]) -> Lent:
    """Return what the comparisons of a table lend each other; nothing where there is one alone.

    variances and degrees (each 1 or more): of every comparison whose spread is known.
    """
    known = [(own, free) for own, free in zip(variances, degrees, strict=True) if own > 0]
    if len(known) < 2:
        return NOTHING_LENT
    # Logs of variances, each freed of what so few degrees add to it: what they still vary by is not chance.
    logs = [math.log(own) - digamma(free / 2) + math.log(free / 2) for own, free in known]
    beyond_chance = variance(logs) - fmean(trigamma(free / 2) for _, free in known)
    most = MOST_LENT * len(variances)
    worth = most if beyond_chance <= 0 else min(most, 2 * inverse_trigamma(beyond_chance))
    return Lent(fmean(variances), worth)


def digamma(x: float) -> float:
    """Return the derivative of log gamma at x > 0 (Abramowitz and Stegun 1964, 6.3.5 and 6.3.18)."""
    before = 0.0
    while x < SHIFTED_TO:
        before -= 1 / x
        x += 1
    square = 1 / (x * x)
    return (
        before + math.log(x) - 1 / (2 * x) - square * (1 / 12 - square * (1 / 120 - square * (1 / 252 - square / 240)))
    )


def trigamma(x: float) -> float:
    """Return the second derivative of log gamma at x > 0 (Abramowitz and Stegun 1964, 6.4.6 and 6.4.12)."""
    before = 0.0
    while x < SHIFTED_TO:
        before += 1 / (x * x)
        x += 1
    square = 1 / (x * x)
    return before + 1 / x + square / 2 + square / x * (1 / 6 - square * (1 / 30 - square * (1 / 42 - square / 30)))


def inverse_trigamma(value: float) -> float:
    """Return where the trigamma function, which falls from infinity to 0, has this value > 0."""
    low, high = 1e-8, 1e8
    for _ in range(TURNS):
        middle = math.sqrt(low * high)
        low, high = (middle, high) if trigamma(middle) > value else (low, middle)
    return math.sqrt(low * high)
