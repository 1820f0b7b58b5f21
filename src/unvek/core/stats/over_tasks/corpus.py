"""Many texts as one: a value a token over the tokens of all of them, where a typical text is another figure."""

import math
from dataclasses import dataclass

import numpy as np

from unvek.core.stats.grouping import Floats, Whole, first_places, group_medians, numbered
from unvek.core.stats.over_launches.launches import Sample
from unvek.core.stats.over_tasks.items import ratio_over_tasks

FEWEST = 2  # texts


@dataclass(frozen=True, slots=True, kw_only=True)
class Corpus:
    """A value over all tokens; over another's on the same texts, with the interval over tasks, alone and as one of so
    many that hold together. None: nothing to hold it against, or one task only.
    """

    value: float
    ratio: float | None
    low: float | None
    high: float | None
    low_together: float | None
    high_together: float | None


@dataclass(frozen=True, slots=True)
class _Texts:
    """(n,) items, in order, each one's task, and the median over its runs of what is known of it."""

    items: Whole
    tasks: Whole
    values: Floats


def over_all_tokens(ours: Sample, counts: Sample, theirs: Sample | None, comparisons: int = 1) -> Corpus | None:
    """Return exp(sum n log v / sum n), with v an item's value and n its tokens, and the same of ours over theirs.

    Of perplexities that is the perplexity of all texts, one after the other. counts: of ours; a text that both have has
    as many tokens for both. None where a value is not positive, or fewer than two texts are known: one says the same.
    """
    mine, lengths = _by_item(ours), _by_item(counts)
    _, at, counted = np.intersect1d(mine.items, lengths.items, return_indices=True)
    values, weights = mine.values[at], lengths.values[counted]
    if len(at) < FEWEST or np.any(values <= 0) or weights.sum() <= 0:
        return None
    value = math.exp(float(np.average(np.log(values), weights=weights)))
    other = None if theirs is None else _by_item(theirs)
    _, here, there = np.intersect1d(mine.items[at], other.items if other else [], return_indices=True)
    if other is None or not len(here) or np.any(other.values[there] <= 0):
        return Corpus(value=value, ratio=None, low=None, high=None, low_together=None, high_together=None)
    apart = (np.log(values[here]) - np.log(other.values[there])) * weights[here]
    tasks, count = numbered(mine.tasks[at][here])
    pairs = np.stack([np.bincount(tasks, part, count) for part in (apart, weights[here])], axis=-1, dtype=np.float64)
    low, high = _ends(pairs, 1)
    low_together, high_together = _ends(pairs, comparisons)
    return Corpus(
        value=value, ratio=math.exp(float(apart.sum() / weights[here].sum())), low=low, high=high,
        low_together=low_together, high_together=high_together,
    )  # fmt: skip


def _ends(pairs: Floats, comparisons: int) -> tuple[float | None, float | None]:
    ends = ratio_over_tasks(pairs, comparisons)
    return (None, None) if ends is None else (math.exp(ends[0]), math.exp(ends[1]))


def _by_item(sample: Sample) -> _Texts:
    sample = sample.known()
    places, count = numbered(sample.items)
    firsts = first_places(places, count)
    tasks = sample.items if sample.tasks is None else sample.tasks
    return _Texts(sample.items[firsts], tasks[firsts], group_medians(sample.values, places, count))
