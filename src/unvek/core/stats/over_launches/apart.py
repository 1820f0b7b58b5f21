"""Ratios of what was not made side by side: an older session's launches against a newer one's.

Nothing pairs them, so what a day does to a machine is in the ratio. Where there are sessions enough before, how much
they differ among themselves is what counts; of two sessions alone it can't be known.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from unvek.core.stats.grouping import Floats, Whole, numbered
from unvek.core.stats.over_launches.launches import Key, Ratio, Sample, widened
from unvek.core.stats.over_launches.levels import cells_of, levels_of
from unvek.core.stats.quantiles import student_quantile
from unvek.core.stats.student import share_below


@dataclass(frozen=True, slots=True)
class Sides:
    """A variant's runs of later and of earlier, each with the unit that it was made in: its launch, or its session."""

    later: Sample
    earlier: Sample
    later_units: Whole
    earlier_units: Whole


def ratios_apart(of: Mapping[Key, Sides], averaged: bool = False) -> dict[Key, Ratio]:
    """Return later over earlier, of items that both have; together they hold as a table (Bonferroni's bound).

    Levels of units are compared by Student's interval for two independent samples with unequal variances (Welch 1947,
    "The generalization of Student's problem when several different population variances are involved"); where one side
    has a single unit, by the other's variance. averaged: whether an item's repeats come to their mean. None is said of
    what has a value that is not positive, or no item in common.
    """
    levels = {key: found for key, sides in of.items() if (found := _levels(sides, averaged)) is not None}
    known = sum(len(later) > 1 or len(earlier) > 1 for later, earlier in levels.values())
    return {
        key: _ratio(later, earlier, known, math.hypot(of[key].later.unseen, of[key].earlier.unseen))
        for key, (later, earlier) in levels.items()
    }


def _levels(sides: Sides, averaged: bool) -> tuple[Floats, Floats] | None:
    """The logarithm of what each unit of both sides takes, over the items that both have."""
    both = []
    for sample, units in ((sides.later, sides.later_units), (sides.earlier, sides.earlier_units)):
        these = np.isfinite(sample.values)
        if not np.any(these) or np.any(sample.values[these] <= 0):
            return None
        both.append((sample.values[these], units[these], sample.items[these]))
    common = np.intersect1d(both[0][2], both[1][2])
    if not len(common):
        return None
    found = []
    for values, units, items in both:
        these = np.isin(items, common)
        unit, unit_count = numbered(units[these])
        item, item_count = numbered(items[these])
        cells = cells_of(np.log(values[these]), unit, item, unit_count, item_count, averaged)
        found.append(levels_of(cells).values)
    return found[0], found[1]


def _ratio(later: Floats, earlier: Floats, comparisons: int, unseen: float) -> Ratio:
    value = float(np.mean(later) - np.mean(earlier))
    spread = _error_and_degrees(later, earlier)
    if spread is None:
        return Ratio(value=math.exp(value), low=None, high=None, low_together=None, high_together=None,
                     launches=min(len(later), len(earlier)), spread=None, comparisons=comparisons)  # fmt: skip
    error, degrees = spread
    alone, together = (
        widened(error * student_quantile(share_below(of), degrees), unseen, of) for of in (1, max(1, comparisons))
    )
    low, high, low_together, high_together = (
        math.exp(value + end) for end in (-alone, alone, -together, together)
    )  # fmt: skip
    return Ratio(
        value=math.exp(value), low=low, high=high, low_together=low_together, high_together=high_together,
        launches=min(len(later), len(earlier)), spread=error, comparisons=comparisons, degrees=degrees, unseen=unseen,
    )  # fmt: skip


def _error_and_degrees(later: Floats, earlier: Floats) -> tuple[float, float] | None:
    """The standard error of the difference of two means, and how well it is known; None of one unit on either side."""
    variances = [float(np.var(side, ddof=1)) if len(side) > 1 else None for side in (later, earlier)]
    if variances[0] is not None and variances[1] is not None:
        parts = [variances[0] / len(later), variances[1] / len(earlier)]
        total = sum(parts)
        if total <= 0:
            return 0.0, float(len(later) + len(earlier) - 2)
        degrees = total**2 / sum(part**2 / (len(side) - 1) for part, side in zip(parts, (later, earlier), strict=True))
        return math.sqrt(total), degrees
    known = next((variance for variance in variances if variance is not None), None)
    if known is None:
        return None
    return math.sqrt(known * (1 / len(later) + 1 / len(earlier))), float(max(len(later), len(earlier)) - 1)
