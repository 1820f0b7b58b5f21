"""Scores of outputs: intervals over items, since it is another prompt or seed that would have given another score.

The bootstrap is used from FEWEST items on, where a score need not have a normal shape; below that Student's interval
is all that can be had.
"""

import math
from collections.abc import Callable, Mapping

import numpy as np

from unvek.core.stats.grouping import Floats, finite, group_means, group_medians, numbered
from unvek.core.stats.launches import Ratio, Sample, levels_against, location, ratios_together
from unvek.core.stats.quantiles import normal_quantile, normal_share
from unvek.core.stats.student import CONFIDENCE, Estimate, mean_and_half_width, student_factor

FEWEST = 6
MOST = 1000  # above this many items the bootstrap differs from Student's interval by nothing that could be seen
DRAWS = 2000
Statistic = Callable[[Floats], Floats]


def score_location(sample: Sample, averaged: bool = False, pilot: int | None = None) -> Estimate | None:
    """Return the median (or mean) of scores with the interval over items, or over launches where that is wider.

    Each item is worth the median (or mean) of its runs. A model that puts out the same in every launch would have no
    interval over launches, as if its score were sure.
    """
    over_launches = location(sample, averaged, pilot)
    if over_launches is None:
        return None
    values, items = finite(sample.values, sample.items)
    places, count = numbered(items)
    of_items = (group_means if averaged else group_medians)(values, places, count)
    return _wider(over_launches, _over_items(of_items, np.mean if averaged else np.median))


def score_ratio(ours: Sample, theirs: Sample, pilot: int | None = None) -> Ratio | None:
    """Return our mean score over theirs, paired by item, with the interval over items, or over launches if wider.

    None where no item is common to both, or a mean is not positive.
    """
    return score_ratios({"": ours}, theirs, pilot).get("")


def score_ratios(of: Mapping[str, Sample], theirs: Sample, pilot: int | None = None) -> dict[str, Ratio]:
    """Return the ratio of each of a table's comparisons that has one, as `score_ratio`, and as `ratios_together`."""
    paired = ratios_together(levels_against(of, theirs), pilot)
    pairs = {name: items for name, ours in of.items() if (items := _paired_items(ours, theirs)) is not None}
    comparisons = sum(len(items) > 1 or name in paired for name, items in pairs.items())
    return {name: _score_ratio(items, paired.get(name), max(1, comparisons)) for name, items in pairs.items()}


def _paired_items(ours: Sample, theirs: Sample) -> Floats | None:
    """Return (items, 2) the mean score of ours and of theirs, of the items common to both."""
    our_values, our_items = finite(ours.values, ours.items)
    their_values, their_items = finite(theirs.values, theirs.items)
    common = np.intersect1d(our_items, their_items)
    our_known, their_known = np.isin(our_items, common), np.isin(their_items, common)
    if not len(common):
        return None
    pairs = np.stack(
        [
            group_means(our_values[our_known], numbered(our_items[our_known])[0], len(common)),
            group_means(their_values[their_known], numbered(their_items[their_known])[0], len(common)),
        ],
        axis=-1,
    )
    return None if np.any(pairs.mean(axis=0) <= 0) else pairs


def _score_ratio(pairs: Floats, paired: Ratio | None, comparisons: int) -> Ratio:
    ratio = float(pairs[:, 0].mean() / pairs[:, 1].mean())
    alone = together = None
    if paired is not None:
        alone = Estimate(value=paired.value, low=paired.low, high=paired.high)
        together = Estimate(value=paired.value, low=paired.low_together, high=paired.high_together)
    low, high = _ends(pairs, ratio, alone, 1)
    low_together, high_together = _ends(pairs, ratio, together, comparisons)
    return Ratio(
        value=ratio, low=low, high=high, low_together=low_together, high_together=high_together,
        launches=paired.launches if paired else 0, spread=None, comparisons=comparisons,
    )  # fmt: skip


def _ends(
    pairs: Floats, ratio: float, over_launches: Estimate | None, comparisons: int
) -> tuple[float | None, float | None]:
    """Return the interval over items, or that over launches, moved to this ratio, if wider."""
    found = Estimate(value=ratio, low=None, high=None)
    if over_launches is not None and over_launches.low is not None and over_launches.high is not None:
        moved = ratio / over_launches.value
        found = _wider(found, (over_launches.low * moved, over_launches.high * moved))
    found = _wider(found, _ratio_over_items(pairs, comparisons))
    return None if found.low is None else max(0.0, found.low), found.high


def bca_interval(
    values: Floats, statistic: Statistic, confidence: float = CONFIDENCE, draws: int = DRAWS, seed: int = 1
) -> tuple[float, float]:
    """Return the bias-corrected, accelerated bootstrap interval (Efron 1987, "Better Bootstrap Confidence Intervals",
    equations 2.3 and 6.6: z0 from the share of draws below the estimate, a from the jackknife's skewness).

    values: (n, ...), independent along the first axis; statistic: of (draws, n, ...) along the second, giving
    (draws,). For a median, which the jackknife can't judge, a is 0. A fixed seed: the same data, the same interval.
    """
    n = len(values)
    picks = np.random.default_rng(seed).integers(0, n, (draws, n))
    found = np.sort(statistic(values[picks]))
    middle = float(statistic(values[None])[0])
    below = (np.count_nonzero(found < middle) + np.count_nonzero(found == middle) / 2) / draws
    z0 = normal_quantile(min(max(below, 1 / (2 * draws)), 1 - 1 / (2 * draws)))
    a = 0.0 if statistic is median_of else _acceleration(values, statistic)
    ends = []
    for tail in ((1 - confidence) / 2, (1 + confidence) / 2):
        z = z0 + normal_quantile(tail)
        ends.append(float(np.quantile(found, normal_share(z0 + z / (1 - a * z)))))
    return ends[0], ends[1]


def mean_of(draws: Floats) -> Floats:
    return np.asarray(draws.mean(axis=1))


def median_of(draws: Floats) -> Floats:
    return np.asarray(np.median(draws, axis=1))


def ratio_of_means(draws: Floats) -> Floats:
    """The first column's mean over the second's, of (draws, n, 2)."""
    means = draws.mean(axis=1)
    return np.asarray(np.divide(means[:, 0], means[:, 1], out=np.full(len(means), np.inf), where=means[:, 1] > 0))


def _acceleration(values: Floats, statistic: Statistic) -> float:
    """a = sum d^3 / (6 (sum d^2)^1.5), with d the mean of the jackknife's values less each."""
    n = len(values)
    kept = np.array([[other for other in range(n) if other != left_out] for left_out in range(n)])
    jackknifed = statistic(values[kept])
    d = jackknifed.mean() - jackknifed
    squares = float(np.sum(d**2))
    return float(np.sum(d**3)) / (6 * squares**1.5) if squares > 0 else 0.0


def _widened(n: int, comparisons: int = 1) -> float:
    """The confidence at which a bootstrap of n values is as wide as Student's interval (Hesterberg 2015, "What
    Teachers Should Know About the Bootstrap", section 3.3: it is too narrow by sqrt((n - 1) / n), and z is not t)."""
    return 1 - 2 * normal_share(-math.sqrt(n / (n - 1)) * student_factor(n, comparisons))


def _over_items(of_items: Floats, middle_of: Callable[..., np.floating]) -> tuple[float, float] | None:
    n = len(of_items)
    if n < 2:
        return None
    if FEWEST <= n <= MOST:
        return bca_interval(of_items, mean_of if middle_of is np.mean else median_of, _widened(n))
    _, half_width = mean_and_half_width(of_items)
    middle = float(middle_of(of_items))
    return middle - (half_width or 0.0), middle + (half_width or 0.0)


def _ratio_over_items(pairs: Floats, comparisons: int = 1) -> tuple[float, float] | None:
    n = len(pairs)
    if n < 2:
        return None
    if FEWEST <= n <= MOST:
        return bca_interval(pairs, ratio_of_means, _widened(n, comparisons))
    ratio = pairs[:, 0].mean() / pairs[:, 1].mean()
    residuals = (pairs[:, 0] - ratio * pairs[:, 1]) / pairs[:, 1].mean()  # Cochran 1977, section 6.4
    _, half_width = mean_and_half_width(residuals, comparisons=comparisons)
    return float(ratio - (half_width or 0.0)), float(ratio + (half_width or 0.0))


def _wider(found: Estimate, ends: tuple[float, float] | None) -> Estimate:
    """The estimate with an interval that holds its own and this one."""
    if ends is None:
        return found
    low = ends[0] if found.low is None else min(found.low, ends[0])
    high = ends[1] if found.high is None else max(found.high, ends[1])
    return Estimate(value=found.value, low=min(low, found.value), high=max(high, found.value))
