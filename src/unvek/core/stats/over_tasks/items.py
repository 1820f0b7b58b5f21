"""Scores of outputs: intervals over tasks, since it is another task that would have given another score.

What the seeds of one task score is alike, and is one value here. Student's interval is widened by the bootstrap's from
FEWEST tasks on, where a score need not have a normal shape; below that it is all that can be had. What is only ever 0
or 1 has an exact interval (shares.py): five of five are not sure.
"""

import math
from bisect import bisect_left
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from unvek.core.stats.grouping import Floats, Whole, first_places, group_means, group_middles, numbered
from unvek.core.stats.over_launches.launches import Key, Ratio, Sample, levels_between, location, ratios_together
from unvek.core.stats.quantiles import normal_quantile, normal_share
from unvek.core.stats.shares import clopper_pearson, paired_shares, sign_test
from unvek.core.stats.student import (
    CONFIDENCE,
    Estimate,
    mean_and_half_width,
    share_below,
    smallest_told,
    student_factor,
)

FEWEST = 6
MOST = 1000  # above this many tasks the bootstrap differs from Student's interval by nothing that could be seen
DRAWS = 2000
FEWEST_FOR_SPREAD = 3  # tasks
MOST_TASKS = 100_000
Statistic = Callable[[Floats], Floats]


def score_location(sample: Sample, averaged: bool = False, pilot: int | None = None) -> Estimate | None:
    """Return the mean over items of the median (or mean) of each one's runs, with the interval over tasks.

    Or over launches, where that is wider. A model that puts out the same in every launch would have no interval over
    launches, as if its score were sure.
    """
    over_launches = location(sample, averaged, pilot, logs=False)
    if over_launches is None:
        return None
    known = sample.known()
    places, count = numbered(known.items)
    of_items = group_middles(known.values, places, count, averaged)
    return _wider(over_launches, _over_tasks(_by_task(of_items, known, places), averaged))


def _by_task(of_items: Floats, sample: Sample, places: Whole) -> Floats:
    """Return the mean of each task's items (items,); places: which item each run of the sample is of."""
    firsts = first_places(places, len(of_items))
    tasks, count = numbered((sample.items if sample.tasks is None else sample.tasks)[firsts])
    return group_means(of_items, tasks, count)


def score_ratio(ours: Sample, theirs: Sample, pilot: int | None = None, averaged: bool = False) -> Ratio | None:
    """Return our mean score over theirs, paired by item, with the interval over tasks, or over launches if wider.

    None where no item is common to both, or a mean is not positive.
    """
    return score_ratios({"": (ours, theirs)}, pilot, averaged).get("")


def score_ratios(
    of: Mapping[Key, tuple[Sample, Sample]], pilot: int | None = None, averaged: bool = False
) -> dict[Key, Ratio]:
    """Return the ratio of each of a table's comparisons that has one, as `score_ratio`, and as `ratios_together`.

    averaged: whether these are shares, or the like: then what is 0 or 1 on every task has an exact interval.
    """
    paired = ratios_together(levels_between(of), pilot)
    pairs = {name: _paired_scores(ours, theirs) for name, (ours, theirs) in of.items()}
    scores = {name: found for name, found in pairs.items() if found is not None and math.isfinite(found.ratio)}
    comparisons = sum(len(found.of_tasks) > 1 or name in paired for name, found in scores.items())
    return {
        name: _score_ratio(found, paired.get(name), max(1, comparisons), averaged) for name, found in scores.items()
    }


@dataclass(frozen=True, slots=True, kw_only=True)
class TaskRecord:
    """On how many tasks a score was better, alike and worse than the reference's.

    p: how likely so lopsided a record is where neither is better (the sign test, two-sided; ties say nothing).
    """

    better: int
    alike: int
    worse: int
    p: float


def task_record(ours: Sample, theirs: Sample, more_is_better: bool) -> TaskRecord | None:
    """Hold scores against each other task by task, whatever they differ by; None where no item is common to both."""
    scores = _paired_scores(ours, theirs)
    if scores is None:
        return None
    above, below = _lopsided(scores.of_tasks)
    better, worse = (above, below) if more_is_better else (below, above)
    return TaskRecord(
        better=better, alike=len(scores.of_tasks) - better - worse, worse=worse, p=sign_test(better, worse)
    )  # fmt: skip


def tasks_to_tell(ours: Sample, theirs: Sample, margin: float) -> int | None:
    """Return how many tasks would tell a loss of `margin` (a share of theirs) from none, 8 times in 10.

    n = ((t(0.975) + t(0.8)) s / margin)^2 with Student's t of n - 1 degrees and s as in `spread_over_tasks` (Chow, Shao
    and Wang 2008, "Sample Size Calculations in Clinical Research", section 3.1, for paired values). None where that is
    not known, where tasks do not differ at all, or more than MOST_TASKS would be needed.
    """
    spread = spread_over_tasks(ours, theirs)
    if spread is None or not (spread > 0 and margin > 0):
        return None

    def would_do(n: int) -> bool:
        return smallest_told(spread, n, n - 1) <= margin

    counts = range(2, MOST_TASKS + 1)
    few = bisect_left(counts, True, key=would_do)
    return counts[few] if few < len(counts) else None


def spread_over_tasks(ours: Sample, theirs: Sample) -> float | None:
    """Return the standard deviation of what ours and theirs differ by over tasks, as a share of their mean.

    Of right and wrong its square is the share of tasks on which only one was right, counted with one half of a task
    more: none of few may be some of many. None of fewer than FEWEST_FOR_SPREAD tasks.
    """
    scores = _paired_scores(ours, theirs)
    if scores is None or len(scores.of_tasks) < FEWEST_FOR_SPREAD:
        return None
    pairs, usual = scores.of_tasks, float(scores.of_tasks[:, 1].mean())
    if usual <= 0:
        return None
    if _are_shares(pairs):
        return math.sqrt((sum(_lopsided(pairs)) + 0.5) / (len(pairs) + 0.5)) / usual
    return float(np.std(pairs[:, 0] - pairs[:, 1], ddof=1)) / usual


@dataclass(frozen=True, slots=True)
class _PairedScores:
    """(tasks, 2) mean scores of ours and of theirs, of the items common to both, and our mean over theirs of items."""

    of_tasks: Floats
    ratio: float


def _paired_scores(ours: Sample, theirs: Sample) -> _PairedScores | None:
    """Pair scores by item; None where no item is common to both."""
    ours, theirs = ours.known(), theirs.known()
    common = np.intersect1d(ours.items, theirs.items)
    if not len(common):
        return None
    ours, theirs = (side.where(np.isin(side.items, common)) for side in (ours, theirs))
    places = numbered(ours.items)[0]
    columns = [group_means(side.values, numbered(side.items)[0], len(common)) for side in (ours, theirs)]
    mine, other = (float(column.mean()) for column in columns)
    of_tasks = np.stack([_by_task(column, ours, places) for column in columns], axis=-1)
    return _PairedScores(of_tasks, mine / other if min(mine, other) > 0 else math.nan)


def _score_ratio(scores: _PairedScores, paired: Ratio | None, comparisons: int, averaged: bool) -> Ratio:
    alone = together = None
    if paired is not None:
        alone = Estimate(value=paired.value, low=paired.low, high=paired.high)
        together = Estimate(value=paired.value, low=paired.low_together, high=paired.high_together)
    low, high = _ends(scores, alone, 1, averaged)
    low_together, high_together = _ends(scores, together, comparisons, averaged)
    return Ratio(
        value=scores.ratio, low=low, high=high, low_together=low_together, high_together=high_together,
        launches=paired.launches if paired else 0, spread=None, comparisons=comparisons,
    )  # fmt: skip


def _ends(
    scores: _PairedScores, over_launches: Estimate | None, comparisons: int, averaged: bool
) -> tuple[float | None, float | None]:
    """Return the interval over tasks, or that over launches, moved to this ratio, if wider."""
    found = Estimate(value=scores.ratio, low=None, high=None)
    if over_launches is not None and over_launches.low is not None and over_launches.high is not None:
        moved = scores.ratio / over_launches.value
        found = _wider(found, (over_launches.low * moved, over_launches.high * moved))
    found = _wider(found, ratio_over_tasks(scores.of_tasks, comparisons, averaged))
    if found.low is None or found.high is None or math.isinf(found.high):  # theirs may be nothing on other tasks
        return None, None
    return max(0.0, found.low), found.high


def bca_interval(
    values: Floats, statistic: Statistic, confidence: float = CONFIDENCE, draws: int = DRAWS, seed: int = 1
) -> tuple[float, float]:
    """Return the bias-corrected, accelerated bootstrap interval (Efron 1987, "Better Bootstrap Confidence Intervals",
    equations 2.3 and 6.6: z0 from the share of draws below the estimate, a from the jackknife's skewness).

    values: (n, ...), independent along the first axis; statistic: of (draws, n, ...) along the second, giving
    (draws,). A fixed seed: the same data, the same interval.
    """
    n = len(values)
    picks = np.random.default_rng(seed).integers(0, n, (draws, n))
    found = np.sort(statistic(values[picks]))
    middle = float(statistic(values[None])[0])
    below = (np.count_nonzero(found < middle) + np.count_nonzero(found == middle) / 2) / draws
    z0 = normal_quantile(min(max(below, 1 / (2 * draws)), 1 - 1 / (2 * draws)))
    a = _acceleration(values, statistic)
    ends = []
    for tail in ((1 - confidence) / 2, (1 + confidence) / 2):
        z = z0 + normal_quantile(tail)
        with np.errstate(invalid="ignore"):  # between two that are infinite
            end = float(np.quantile(found, normal_share(z0 + z / (1 - a * z))))
        ends.append(math.inf if math.isnan(end) else end)
    return ends[0], ends[1]


def mean_of(draws: Floats) -> Floats:
    return np.asarray(draws.mean(axis=1))


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


def _over_tasks(of_tasks: Floats, averaged: bool) -> tuple[float, float] | None:
    n = len(of_tasks)
    if n < 2:
        return None
    if averaged and np.all((of_tasks == 0) | (of_tasks == 1)):
        return clopper_pearson(int(of_tasks.sum()), n)
    middle, half_width = mean_and_half_width(of_tasks)
    students = middle - (half_width or 0.0), middle + (half_width or 0.0)
    if FEWEST <= n <= MOST:
        return _both(students, bca_interval(of_tasks, mean_of, _widened(n)))
    return students


def ratio_over_tasks(pairs: Floats, comparisons: int = 1, averaged: bool = False) -> tuple[float, float] | None:
    """Return the interval of the ratio of the two columns' means, (tasks, 2), as one of so many that hold together.

    None of one task.
    """
    n, usual = len(pairs), float(pairs[:, 1].mean())
    if n < 2:
        return None
    if averaged and _are_shares(pairs):
        more, fewer = _lopsided(pairs)
        low, high = paired_shares(more, fewer, n, share_below(comparisons))
        return 1 + low / usual, 1 + high / usual
    ratio = float(pairs[:, 0].mean() / usual)
    residuals = (pairs[:, 0] - ratio * pairs[:, 1]) / usual  # Cochran 1977, section 6.4
    _, half_width = mean_and_half_width(residuals, comparisons=comparisons)
    students = ratio - (half_width or 0.0), ratio + (half_width or 0.0)
    if FEWEST <= n <= MOST:
        return _both(students, bca_interval(pairs, ratio_of_means, _widened(n, comparisons)))
    return students


def _both(one: tuple[float, float], other: tuple[float, float]) -> tuple[float, float]:
    """The interval that holds both: of skewed scores of few tasks either alone is too narrow at one of its ends."""
    return min(one[0], other[0]), max(one[1], other[1])


def _are_shares(pairs: Floats) -> bool:
    """Whether every task was either right or wrong."""
    return bool(np.all((pairs == 0) | (pairs == 1)))


def _lopsided(pairs: Floats) -> tuple[int, int]:
    """On how many tasks the first is above the second, and below it."""
    return int(np.count_nonzero(pairs[:, 0] > pairs[:, 1])), int(np.count_nonzero(pairs[:, 0] < pairs[:, 1]))


def _wider(found: Estimate, ends: tuple[float, float] | None) -> Estimate:
    """The estimate with an interval that holds its own and this one."""
    if ends is None:
        return found
    low = ends[0] if found.low is None else min(found.low, ends[0])
    high = ends[1] if found.high is None else max(found.high, ends[1])
    return Estimate(value=found.value, low=min(low, found.value), high=max(high, found.value))
