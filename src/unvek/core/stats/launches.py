"""Locations and ratios over launches: a fresh process is what is repeated, the runs within one are not.

Each launch comes to one level: the median, over its runs, of how far each lies from the usual value of its item. A
run that was disturbed moves the level little, and an item that a launch lacks does not move it at all.
"""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from unvek.core.stats.grouping import Floats, Whole, finite, group_medians, numbered
from unvek.core.stats.student import Estimate, mean_and_half_width


@dataclass(frozen=True, slots=True)
class Sample:
    """Runs of one variant: (n,) values with each one's round, launch and item, as numbers."""

    values: Floats
    rounds: Whole
    launches: Whole
    items: Whole

    def known(self) -> "Sample":
        """Return the runs whose value is known."""
        return Sample(*finite(self.values, self.rounds, self.launches, self.items))

    def where(self, these: np.ndarray) -> "Sample":
        return Sample(self.values[these], self.rounds[these], self.launches[these], self.items[these])

    def where_made(self) -> tuple[bytes, bytes, bytes]:
        """Return rounds, launches and items as bytes: what stands for the runs, whatever is measured of them."""
        rounds, launches, items = (
            np.asarray(numbers, np.int64).tobytes() for numbers in (self.rounds, self.launches, self.items)
        )
        return rounds, launches, items

    def __len__(self) -> int:
        return len(self.values)


@dataclass(frozen=True, slots=True, kw_only=True)
class Ratio:
    """A variant over the reference, with the interval; `spread` is the standard deviation of its log over launches."""

    value: float
    low: float | None
    high: float | None
    launches: int
    spread: float | None


def location(sample: Sample, averaged: bool = False, pilot: int | None = None) -> Estimate | None:
    """Return the median (or mean) of the values, and its interval over launches, the unit of replication.

    The interval is Student's over the launches' levels, on the log scale where all values are positive: repeats
    within a launch share its process, so they do not count as independent (Georges, Buytaert and Eeckhout 2007,
    "Statistically Rigorous Java Performance Evaluation", section 3). It is moved where it must be to hold the value
    itself. pilot: as for `mean_and_half_width`. None for no values.
    """
    sample = sample.known()
    if not len(sample):
        return None
    middle = float(np.mean(sample.values) if averaged else np.median(sample.values))
    on_logs = bool(np.all(sample.values > 0)) and not averaged
    scaled = np.log(sample.values) if on_logs else sample.values
    units, count = numbered(sample.rounds, sample.launches)
    if averaged:
        levels = np.bincount(units, scaled, count) / np.bincount(units, minlength=count) - middle
    else:
        levels = _levels(scaled, *numbered(sample.items), units, count)[0]
    mean, half_width = mean_and_half_width(levels, pilot)
    if half_width is None:
        return Estimate(value=middle, low=None, high=None)
    low, high = mean - half_width, mean + half_width
    low, high = (middle * math.exp(low), middle * math.exp(high)) if on_logs else (middle + low, middle + high)
    return Estimate(value=middle, low=min(low, middle), high=max(high, middle))


def paired_ratio(ours: Sample, theirs: Sample, pilot: int | None = None) -> Ratio | None:
    """Return our values over theirs, paired by launch and item.

    Only items that both have within a round count. A pair is a launch of ours and the one of theirs in its round;
    launches that share a partner (a round taken up again) make one pair together. The pair's value is the difference
    of the two levels of logs; the estimate is the mean over pairs and items, with Student's interval over pairs
    (Kalibera and Jones 2013, "Rigorous Benchmarking in Reasonable Time", section 9, on ratios over the highest level
    of repetition; medians stand for their means, so that outliers do not count). Assumes pairs to be independent:
    what drifts over a session drifts for both of a pair. pilot: as for `mean_and_half_width`. None where nothing
    pairs, or a value is not positive.
    """
    logs = paired_levels(ours, theirs)
    if logs is None:
        return None
    mean, half_width = mean_and_half_width(logs, pilot)
    return Ratio(
        value=math.exp(mean),
        low=None if half_width is None else math.exp(mean - half_width),
        high=None if half_width is None else math.exp(mean + half_width),
        launches=len(logs),
        spread=float(np.std(logs, ddof=1)) if len(logs) > 1 else None,
    )


def paired_levels(ours: Sample, theirs: Sample) -> Floats | None:
    """Return (pairs,) the log ratio of each pair of launches, the earliest first; None as for `paired_ratio`."""
    ours, theirs = ours.known(), theirs.known()
    if not (len(ours) and len(theirs) and np.all(ours.values > 0) and np.all(theirs.values > 0)):
        return None
    pairing = _pairing(*ours.where_made(), *theirs.where_made())
    if pairing is None:
        return None
    our_levels, our_usual = pairing.levels(np.log(ours.values), pairing.ours)
    their_levels, their_usual = pairing.levels(np.log(theirs.values), pairing.theirs)
    return np.asarray(np.mean(our_usual - their_usual) + our_levels - their_levels)


def _levels(values: Floats, items: Whole, items_count: int, units: Whole, count: int) -> tuple[Floats, Floats]:
    """Each unit's median distance from what is usual for the item (units,), and what is usual (items,)."""
    usual = group_medians(values, items, items_count)
    return group_medians(values - usual[items], units, count), usual


@dataclass(frozen=True, slots=True)
class _Side:
    """The runs of one sample that pair: their places in it, each one's pair of launches and its item, as numbers."""

    places: Whole
    pairs: Whole
    items: Whole


@dataclass(frozen=True, slots=True)
class _Pairing:
    """Which runs of two samples are held against each other, and how many pairs of launches and items there are."""

    ours: _Side
    theirs: _Side
    pairs: int
    items: int

    def levels(self, values: Floats, side: _Side) -> tuple[Floats, Floats]:
        return _levels(values[side.places], side.items, self.items, side.pairs, self.pairs)


@lru_cache(maxsize=4)  # most measures are known of the same runs: what pairs is worked out for the first of them
def _pairing(*made: bytes) -> _Pairing | None:
    """Pair runs by round and item; None where nothing pairs. made: `Sample.where_made` of ours, then of theirs."""
    columns = [np.frombuffer(numbers, np.int64) for numbers in made]
    ours = len(columns[0])
    rounds, launches, items = (np.r_[columns[at], columns[at + 3]] for at in range(3))
    is_ours = np.arange(len(rounds)) < ours
    cells, count = numbered(rounds, items)
    in_both = (np.bincount(cells[is_ours], minlength=count) > 0) & (np.bincount(cells[~is_ours], minlength=count) > 0)
    places = np.flatnonzero(in_both[cells])
    if not len(places):
        return None
    is_ours = is_ours[places]
    pairs, pairs_count = _clusters(cells[places], rounds[places], launches[places], is_ours)
    items, items_count = numbered(items[places])
    return _Pairing(
        ours=_Side(places[is_ours], pairs[is_ours], items[is_ours]),
        theirs=_Side(places[~is_ours] - ours, pairs[~is_ours], items[~is_ours]),
        pairs=pairs_count,
        items=items_count,
    )


def _clusters(cells: Whole, rounds: Whole, launches: Whole, is_ours: np.ndarray) -> tuple[Whole, int]:
    """Number the pairs of launches: (n,) which pair each run belongs to, and how many there are.

    Launches hang together where they hold the same item of the same round; each such cluster is one pair.
    """
    launches, count = numbered(rounds, np.where(is_ours, 0, 1), launches)
    while True:  # every launch takes the least number among those that share an item with it, until nothing changes
        least = np.full(int(cells.max()) + 1, count)
        np.minimum.at(least, cells, launches)
        mine = np.full(count, count)
        np.minimum.at(mine, launches, least[cells])
        joined = mine[launches]
        if np.array_equal(joined, launches):
            return numbered(launches)
        launches = joined
