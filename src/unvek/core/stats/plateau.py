"""Where more stops helping: the best value, those that are not measurably worse, and the cheapest of these."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from unvek.core.stats.grouping import finite, group_means, numbered
from unvek.core.stats.launches import Sample
from unvek.core.stats.student import Estimate, estimate


@dataclass(frozen=True, slots=True, kw_only=True)
class Plateau:
    """Places in the row of values: the best one, all that are not measurably worse than it, the cheapest of them."""

    best: int
    as_good: tuple[int, ...]
    cheapest: int


def plateau(samples: Sequence[Sample], middles: Sequence[float], costs: Sequence[float], more: bool) -> Plateau | None:
    """Find the plateau of a measure over the values of a setting.

    samples: a measure's runs at each value, items numbered alike in all; middles: its location at each, by which the
    best is chosen; costs: what each value takes, in any unit; more: whether more of the measure is better. Worse is
    a value whose difference from the best, paired, has an interval that excludes 0 on that side. None where a
    location is known of no value.
    """
    known = [place for place, middle in enumerate(middles) if np.isfinite(middle)]
    if not known:
        return None
    best = (max if more else min)(known, key=lambda place: middles[place])
    as_good = [place for place in known if place == best or not _is_worse(samples[place], samples[best], more)]
    return Plateau(best=best, as_good=tuple(as_good), cheapest=min(as_good, key=lambda place: costs[place]))


def paired_difference(ours: Sample, theirs: Sample) -> Estimate | None:
    """Return how much more our values are than theirs, with the interval over launches or items, the wider.

    Over launches it is Student's over the differences within a round, over items over those within an item (what is
    the same in every launch, as a score mostly is, is known no better for being repeated). None where nothing pairs.
    """
    over = [_difference(ours, theirs, "rounds"), _difference(ours, theirs, "items")]
    found = [one for one in over if one is not None]
    if not found:
        return None
    return max(found, key=lambda one: -1.0 if one.low is None or one.high is None else one.high - one.low)


def _difference(ours: Sample, theirs: Sample, along: str) -> Estimate | None:
    our_values, our_keys = finite(ours.values, getattr(ours, along))
    their_values, their_keys = finite(theirs.values, getattr(theirs, along))
    common = np.intersect1d(our_keys, their_keys)
    if not len(common):
        return None
    means = []
    for values, keys in ((our_values, our_keys), (their_values, their_keys)):
        among = np.isin(keys, common)
        means.append(group_means(values[among], numbered(keys[among])[0], len(common)))
    return estimate(means[0] - means[1])


def _is_worse(ours: Sample, best: Sample, more: bool) -> bool:
    """Whether a value is measurably worse; where no interval can be given, any difference is."""
    found = paired_difference(ours, best)
    if found is None:
        return True
    low, high = (found.value, found.value) if found.low is None or found.high is None else (found.low, found.high)
    return high < 0 if more else low > 0
