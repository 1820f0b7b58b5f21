"""Lines and power laws through runs at several values, fitted launch by launch.

Each launch that holds runs at two values or more gives one fit; the coefficients' intervals are Student's over these
fits (a summary for each unit, then a mean over units: Rowell and Walters 1976, "Analysing data with repeated
observations on each experimental unit"), so that what is shared within a launch does not count as knowledge. What the
form misses is in them too: more launches tell no more of a line where there is a curve.
"""

import math
from dataclasses import dataclass

import numpy as np

from unvek.core.stats.grouping import Floats, Whole, finite, first_places, group_medians, numbered
from unvek.core.stats.student import Estimate, estimate, student_factor


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    """y = fixed + x * per_one, over so many launches; `misfit` is the root mean square, over the values of x, of the
    median of y over what is fitted, less 1."""

    fixed: Estimate
    per_one: Estimate
    launches: int
    misfit: float


@dataclass(frozen=True, slots=True, kw_only=True)
class PowerLaw:
    """y = factor * x ** exponent; doubling x takes `doubling` = 2 ** exponent times as much of y."""

    factor: float
    exponent: Estimate
    doubling: Estimate
    launches: int
    misfit: float


def line(x: Floats, y: Floats, launches: Whole, pilot: int | None = None) -> Line | None:
    """Fit a line to positive y (n,) at x (n,), with least squares of the relative errors.

    The weights are 1 / y^2, with y the median at that x: times vary in proportion to their length (weighted least
    squares; Carroll and Ruppert 1988, "Transformation and Weighting in Regression", section 2.1). pilot: as for
    `mean_and_half_width`. None where no launch has two values of x, or a y is not positive.
    """
    cells = _cells(x, y, launches)
    if cells is None:
        return None
    x, y, launches = cells
    places, count = numbered(_as_keys(x))
    typical = group_medians(y, places, count)
    fitted = _by_launch(x, y, 1 / typical[places] ** 2, launches)
    if fitted is None:
        return None
    fixed, slope = fitted
    missed = _missed(np.unique(x), typical - (fixed.mean() + slope.mean() * np.unique(x)), 1 / typical**2)
    return Line(
        fixed=_wider_by(estimate(fixed, pilot), missed[0]),
        per_one=_wider_by(estimate(slope, pilot), missed[1]),
        launches=len(slope),
        misfit=_misfit(typical / (fixed.mean() + slope.mean() * np.unique(x))),
    )


def power_law(x: Floats, y: Floats, launches: Whole, pilot: int | None = None) -> PowerLaw | None:
    """Fit a power law to positive y (n,) at positive x (n,): a line on logarithmic scales.

    None where no launch has two values of x, or anything is not positive. pilot: as for `mean_and_half_width`.
    """
    cells = _cells(x, y, launches)
    if cells is None or np.any(cells[0] <= 0):
        return None
    x, y, launches = cells
    fitted = _by_launch(np.log(x), np.log(y), np.ones(len(x)), launches)
    if fitted is None:
        return None
    intercepts, exponents = fitted
    places, count = numbered(_as_keys(x))
    factor = float(np.exp(intercepts.mean()))
    at, typical = np.unique(x), group_medians(y, places, count)
    apart = np.log(typical) - np.log(factor) - exponents.mean() * np.log(at)
    exponent = _wider_by(estimate(exponents, pilot), _missed(np.log(at), apart, np.ones(len(at)))[1])
    return PowerLaw(
        factor=factor,
        exponent=exponent,
        doubling=Estimate(
            value=2**exponent.value,
            low=None if exponent.low is None else 2**exponent.low,
            high=None if exponent.high is None else 2**exponent.high,
        ),
        launches=len(exponents),
        misfit=_misfit(typical / (factor * at**exponent.value)),
    )


def _cells(x: Floats, y: Floats, launches: Whole) -> tuple[Floats, Floats, Whole] | None:
    """The median of y for each x of each launch, so that a disturbed run counts for little; None for y <= 0 or none."""
    y, x, launches = finite(y, x, launches)
    if not len(y) or np.any(y <= 0):
        return None
    places, count = numbered(launches, _as_keys(x))
    firsts = first_places(places, count)
    return x[firsts], group_medians(y, places, count), launches[firsts]


def _missed(x: Floats, apart: Floats, weights: Floats) -> tuple[float, float]:
    """Return half the widths by which a line's intercept and slope are unknown for what it misses at the values (n,).

    Student's, of n - 2 degrees, with the weighted residuals for the spread (Draper and Smith 1998, "Applied Regression
    Analysis", section 1.4). Two values are missed by nothing, and nothing is known of what lies between them.
    """
    n = len(x)
    if n < 3:
        return math.inf, math.inf
    w, mean_x = float(weights.sum()), float(np.average(x, weights=weights))
    spread = float(np.sum(weights * (x - mean_x) ** 2))
    missed = student_factor(n - 1) * math.sqrt(float(np.sum(weights * apart**2)) / (n - 2))
    return missed * math.sqrt(1 / w + mean_x**2 / spread), missed / math.sqrt(spread)


def _wider_by(found: Estimate, half_width: float) -> Estimate:
    """The estimate with what a form misses in its interval; none where that is not known."""
    if found.low is None or found.high is None or not math.isfinite(half_width):
        return Estimate(value=found.value, low=None, high=None)
    both = math.hypot((found.high - found.low) / 2, half_width)
    return Estimate(value=found.value, low=found.value - both, high=found.value + both)


def _misfit(over_fitted: Floats) -> float:
    return float(np.sqrt(np.mean((over_fitted - 1) ** 2)))


def _by_launch(x: Floats, y: Floats, weights: Floats, launches: Whole) -> tuple[Floats, Floats] | None:
    """Return (launches,) intercepts and slopes, of the launches with two values of x or more; None for no such."""
    units, count = numbered(launches)
    sums = [np.bincount(units, weights * part, count) for part in (np.ones(len(x)), x, y)]
    w, mean_x, mean_y = sums[0], sums[1] / sums[0], sums[2] / sums[0]
    from_x, from_y = x - mean_x[units], y - mean_y[units]
    spread = np.bincount(units, weights * from_x**2, count)
    enough = spread > 1e-12 * w * np.maximum(mean_x**2, 1e-300)
    if not np.any(enough):
        return None
    slopes = np.bincount(units, weights * from_x * from_y, count)[enough] / spread[enough]
    return mean_y[enough] - slopes * mean_x[enough], slopes


def _as_keys(x: Floats) -> Whole:
    return np.asarray(np.unique(x, return_inverse=True)[1])
