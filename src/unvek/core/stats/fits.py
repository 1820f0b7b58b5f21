"""Lines and power laws through runs at several values, fitted launch by launch.

Each launch that holds runs at two values or more gives one fit; the coefficients' intervals are Student's over these
fits (a summary for each unit, then a mean over units: Rowell and Walters 1976, "Analysing data with repeated
observations on each experimental unit"), so that what is shared within a launch does not count as knowledge.
"""

from dataclasses import dataclass

import numpy as np

from unvek.core.stats.grouping import Floats, Whole, finite, first_places, group_medians, numbered
from unvek.core.stats.student import Estimate, estimate


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
    return Line(
        fixed=estimate(fixed, pilot),
        per_one=estimate(slope, pilot),
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
    exponent = estimate(exponents, pilot)
    places, count = numbered(_as_keys(x))
    factor = float(np.exp(intercepts.mean()))
    return PowerLaw(
        factor=factor,
        exponent=exponent,
        doubling=Estimate(
            value=2**exponent.value,
            low=None if exponent.low is None else 2**exponent.low,
            high=None if exponent.high is None else 2**exponent.high,
        ),
        launches=len(exponents),
        misfit=_misfit(group_medians(y, places, count) / (factor * np.unique(x) ** exponent.value)),
    )


def _cells(x: Floats, y: Floats, launches: Whole) -> tuple[Floats, Floats, Whole] | None:
    """The median of y for each x of each launch, so that a disturbed run counts for little; None for y <= 0 or none."""
    y, x, launches = finite(y, x, launches)
    if not len(y) or np.any(y <= 0):
        return None
    places, count = numbered(launches, _as_keys(x))
    firsts = first_places(places, count)
    return x[firsts], group_medians(y, places, count), launches[firsts]


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
