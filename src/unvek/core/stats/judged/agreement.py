"""How far judges agree, beyond what chance alone would bring about: Krippendorff's alpha, with an interval."""

import math

import numpy as np

from unvek.core.stats.grouping import Floats, Whole, numbered
from unvek.core.stats.student import Estimate, student_factor


def alpha(units: Whole, values: Floats, clusters: Whole | None = None, in_steps: bool = True) -> Estimate | None:
    """Return Krippendorff's alpha of values given to units, with its interval over clusters of units.

    1 - D(observed) / D(expected), with D the mean of the squared difference of two values, in one unit and in all
    (Krippendorff 2011, "Computing Krippendorff's Alpha-Reliability", sections C and D); or, not `in_steps`, of whether
    they differ at all. 1 is agreement throughout, 0 what chance brings. Units with one value say nothing.

    units, values, clusters: (n,). None where no unit has two values; the interval is the jackknife's over clusters
    (units, where none are given) with Student's t, and missing where there are fewer than three, or all values are one.
    """
    of_clusters = units if clusters is None else clusters
    found = _alpha(units, values, in_steps)
    if found is None:
        return None
    if math.isnan(found):  # everybody says the same of everything: agreement, but of what chance also brings
        return Estimate(value=1.0, low=None, high=None)
    groups, count = numbered(of_clusters)
    without = [_alpha(units[groups != one], values[groups != one], in_steps) for one in range(count)]
    left = np.array([value for value in without if value is not None and not math.isnan(value)])
    if len(left) < 3 or len(left) < count:
        return Estimate(value=found, low=None, high=None)
    half = student_factor(count) * math.sqrt((count - 1) / count * float(np.sum((left - left.mean()) ** 2)))
    return Estimate(value=found, low=max(-1.0, found - half), high=min(1.0, found + half))


def _alpha(units: Whole, values: Floats, in_steps: bool) -> float | None:
    """NaN where no two values differ anywhere; None where no unit has two values."""
    if not len(units):
        return None
    places, count = numbered(units)
    sizes = np.bincount(places, minlength=count)
    paired = sizes[places] > 1
    places, values = places[paired], values[paired]
    if not len(values):
        return None
    kinds, codes = np.unique(values, return_inverse=True)
    counts = np.zeros((count, len(kinds)))
    np.add.at(counts, (places, codes), 1)
    counts = counts[counts.sum(axis=1) > 0]
    apart = (kinds[:, None] - kinds) ** 2 if in_steps else (kinds[:, None] != kinds).astype(float)
    n_of_units, n_of_kinds, n = counts.sum(axis=1), counts.sum(axis=0), counts.sum()
    observed = float(np.sum(np.einsum("ui,ij,uj->u", counts, apart, counts) / (n_of_units - 1))) / n
    expected = float(n_of_kinds @ apart @ n_of_kinds) / (n * (n - 1))
    return 1 - observed / expected if expected > 0 else math.nan
