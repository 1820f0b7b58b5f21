"""Where more stops helping: the cheapest value that is shown to be no worse than the best by more than a margin."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from unvek.core.stats.over_launches.launches import Ratio, Sample, levels_between, ratios_together
from unvek.core.stats.over_tasks.items import score_ratios


@dataclass(frozen=True, slots=True, kw_only=True)
class Plateau:
    """Places in the row of values: the best one; those shown to be as good, the best among them; those shown to be
    worse; those of which neither is shown; and the cheapest that is as good.
    """

    best: int
    as_good: tuple[int, ...]
    worse: tuple[int, ...]
    untold: tuple[int, ...]
    cheapest: int


def plateau(
    samples: Sequence[Sample], middles: Sequence[float], costs: Sequence[float], more: bool, margin: float,
    is_score: bool = False, averaged: bool = False,
) -> Plateau | None:  # fmt: skip
    """Find the plateau of a measure over the values of a setting.

    samples: a measure's runs at each value, items numbered alike in all; middles: its location at each, by which the
    best is chosen; costs: what each value takes, in any unit; more: whether more of the measure is better; margin: the
    share of the best by which another may be worse and be as good. As good is what is shown to be (non-inferiority:
    the end of the interval of the paired ratio lies within the margin; Piaggio et al. 2012, "Reporting of
    noninferiority and equivalence randomized trials"), all values together; worse what is shown to be worse by any
    amount. Scores are compared over tasks, what is no score over launches. None where a location is known of no value.
    """
    known = [place for place, middle in enumerate(middles) if np.isfinite(middle)]
    if not known:
        return None
    best = (max if more else min)(known, key=lambda place: middles[place])
    pairs = {place: (samples[place], samples[best]) for place in known if place != best}
    ratios = score_ratios(pairs, averaged=averaged) if is_score else ratios_together(levels_between(pairs))
    lost = {place: _lost(ratios.get(place), more) for place in pairs}
    as_good = [place for place in known if place == best or lost[place][1] <= margin]
    worse = [place for place in pairs if lost[place][0] > 0 and place not in as_good]
    return Plateau(
        best=best,
        as_good=tuple(as_good),
        worse=tuple(worse),
        untold=tuple(place for place in pairs if place not in as_good and place not in worse),
        cheapest=min(as_good, key=lambda place: costs[place]),
    )


def _lost(ratio: Ratio | None, more: bool) -> tuple[float, float]:
    """Return the least and the most that may be lost against the best, as shares; all or nothing where not known.

    An interval without a width is of tasks that every launch repeats to the last digit: of others it says nothing.
    """
    low, high = (None, None) if ratio is None else (ratio.low_together, ratio.high_together)
    if low is None or high is None or low == high:
        return -np.inf, np.inf
    return (1 - high, 1 - low) if more else (low - 1, high - 1)
