"""Locations and ratios over launches: a fresh process is what is repeated, the runs within one are not.

Each launch comes to one level (levels.py): the mean over its items of what each took, the median of its repeats. Of a
variant that is where it lies; of two, paired round by round and item by item, how they differ.
"""

import math
from collections.abc import Hashable, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import TypeVar

import numpy as np

from unvek.core.stats.grouping import Floats, Whole, first_places, numbered, small
from unvek.core.stats.over_launches.levels import CellRuns, Cells, Levels, joined, levels_of
from unvek.core.stats.over_launches.moderation import Lent, lent
from unvek.core.stats.quantiles import normal_quantile, student_quantile
from unvek.core.stats.student import Estimate, share_below

Key = TypeVar("Key", bound=Hashable)  # what a comparison is called in its table
Packed = tuple[str, bytes]
HELD = 16  # most measures are known of the same runs: which belong together is worked out for the first of them


@dataclass(frozen=True, slots=True)
class Sample:
    """Runs of one variant: (n,) values with each one's round, launch and item, as numbers; and its task, if known.

    An item is a task with a seed, and what is varied. unseen is an error that all of them may share, so that no spread
    shows it and no further run makes it less (a hand that starts a watch late): its standard deviation, as a share of
    the values.
    """

    values: Floats
    rounds: Whole
    launches: Whole
    items: Whole
    tasks: Whole | None = None
    unseen: float = 0.0

    def known(self) -> "Sample":
        """Return the runs whose value is known."""
        known = np.isfinite(self.values)
        return self if known.all() else self.where(known)

    def where(self, these: np.ndarray) -> "Sample":
        tasks = None if self.tasks is None else self.tasks[these]
        return Sample(
            self.values[these], self.rounds[these], self.launches[these], self.items[these], tasks, self.unseen
        )

    def within_launches(self) -> "Sample":
        """Return the same runs, to be paired within the launch that made both: it is the unit then."""
        return replace(self, rounds=self.launches)

    def where_made(self) -> tuple[Packed, Packed, Packed]:
        """Return rounds, launches and items, packed: what stands for the runs, whatever is measured of them."""
        return packed(self.rounds), packed(self.launches), packed(self.items)

    def __len__(self) -> int:
        return len(self.values)


def packed(numbers: Whole) -> Packed:
    """Return whole numbers as bytes, with the kind that they are of: one that is held, and told apart by what it is."""
    held = small(np.asarray(numbers, np.int64))
    return held.dtype.str, held.tobytes()


def unpacked(numbers: Packed) -> Whole:
    """Return the whole numbers again."""
    kind, held = numbers
    return np.frombuffer(held, kind).astype(np.int64)


@dataclass(frozen=True, slots=True, kw_only=True)
class Ratio:
    """A variant over the reference.

    low and high are its 95 % interval taken alone; low_together and high_together that of a table of `comparisons`: of
    all of these together as many hold. None where the data give no interval. `spread` is the standard deviation of its
    log over launches, with so many degrees of freedom; lent_degrees are those of them that the rest of the table has
    lent to it (moderation.py). unseen is the error of the log that more launches would not make less, and is in the
    intervals.
    """

    value: float
    low: float | None
    high: float | None
    low_together: float | None
    high_together: float | None
    launches: int
    spread: float | None
    comparisons: int = 1
    lent_degrees: float = 0.0
    degrees: float = 0.0
    unseen: float = 0.0

    @property
    def error(self) -> float | None:
        """The standard error of its log, with what no spread shows; None where there is no interval."""
        return None if self.spread is None else math.hypot(self.spread / math.sqrt(self.launches), self.unseen)


def widened(half_width: float, unseen: float, comparisons: int = 1) -> float:
    """Return an interval's half-width with an error that is not in its spread: half-widths add up by their squares.

    (Joint Committee for Guides in Metrology 2008, "Guide to the expression of uncertainty in measurement", 5.1.2, for
    errors that are independent of each other.)
    """
    return math.hypot(half_width, unseen * normal_quantile(share_below(comparisons)))


def location(sample: Sample, averaged: bool = False, pilot: int | None = None, logs: bool = True) -> Estimate | None:
    """Return what a typical run takes on these items, and its interval over launches, the unit of replication.

    That is the mean over items of the medians (or means) over runs; with `logs` that of their logarithms, where all are
    positive and nothing is averaged. The interval is Student's over the launches' levels: repeats within a launch share
    its process, so they do not count as independent (Georges, Buytaert and Eeckhout 2007, "Statistically Rigorous Java
    Performance Evaluation", section 3). pilot: as for `mean_and_half_width`. None for no values.
    """
    sample = sample.known()
    if not len(sample):
        return None
    on_logs = _on_logs(sample, averaged, logs)
    levels = levels_of(_cells(sample, averaged, on_logs))
    spread = levels.spread(pilot)
    back = _from_log if on_logs else float
    if spread is None:
        return Estimate(value=back(levels.mean), low=None, high=None)
    half_width = student_quantile(share_below(), spread[1]) * math.sqrt(spread[0] / len(levels.values))
    half_width = widened(half_width, sample.unseen if on_logs else sample.unseen * abs(levels.mean))
    return Estimate(value=back(levels.mean), low=back(levels.mean - half_width), high=back(levels.mean + half_width))


def level_by_launch(sample: Sample) -> dict[int, float]:
    """Return the logarithm of what a typical run of each launch took, by the launch's number; of positive values."""
    sample = sample.known()
    if not (len(sample) and np.all(sample.values > 0)):
        return {}
    levels = levels_of(_cells(sample, averaged=False, on_logs=True)).values
    numbers = sample.launches[first_places(*numbered(sample.rounds, sample.launches))]
    return dict(zip(numbers.tolist(), levels.tolist(), strict=True))


def _on_logs(sample: Sample, averaged: bool, logs: bool) -> bool:
    return logs and not averaged and bool(np.all(sample.values > 0))


def _cells(sample: Sample, averaged: bool, on_logs: bool) -> Cells:
    cells = _cell_runs(*sample.where_made()).cells(sample.values, averaged)
    return replace(cells, values=np.log(cells.values)) if on_logs else cells


@lru_cache(maxsize=HELD)
def _cell_runs(*made: Packed) -> CellRuns:
    """Return which runs make which cell. made: `Sample.where_made`."""
    rounds, of_launches, of_items = map(unpacked, made)
    launches, launch_count = numbered(rounds, of_launches)
    items, item_count = numbered(of_items)
    return CellRuns.of(launches, items, launch_count, item_count)


def _from_log(log: float) -> float:
    """Return the number, without what rounding leaves in its last digits: eight seconds in every run are eight."""
    return float(f"{math.exp(log):.13g}")


def paired_ratio(ours: Sample, theirs: Sample, pilot: int | None = None) -> Ratio | None:
    """Return our values over theirs, paired by launch and item.

    Only items that both have within a round count. A pair is a launch of ours and the one of theirs in its round;
    launches that share a partner (a round taken up again) make one pair together. The pair's level is the mean over
    items of the difference of logs of the medians over repeats; the estimate is the mean over pairs, with Student's
    interval over pairs (Kalibera and Jones 2013, "Rigorous Benchmarking in Reasonable Time", section 9, on ratios over
    the highest level of repetition). Assumes pairs to be independent: what drifts over a session drifts for both of a
    pair. pilot: as for `mean_and_half_width`. None where nothing pairs, or a value is not positive.
    """
    levels = paired_levels(ours, theirs)
    return None if levels is None else ratios_together({"": levels}, pilot)[""]


def ratios_together(of: Mapping[Key, Levels], pilot: int | None = None) -> dict[Key, Ratio]:
    """Return the ratio of each of a table's comparisons, from the levels of its pairs of launches.

    The comparisons lend each other of their variances. Their intervals together hold 95 times in 100 (Bonferroni's
    bound: each leaves out 5 % divided by their number). pilot: as for `mean_and_half_width`.
    """
    spreads = {name: spread for name, levels in of.items() if (spread := levels.spread(pilot)) is not None}
    loan = lent([own for own, _ in spreads.values()], [degrees for _, degrees in spreads.values()])
    return {name: _ratio(levels, spreads.get(name), loan, len(spreads)) for name, levels in of.items()}


def _ratio(levels: Levels, spread: tuple[float, int] | None, loan: Lent, comparisons: int) -> Ratio:
    mean, count = levels.mean, len(levels.values)
    if spread is None:
        return Ratio(value=_from_log(mean), low=None, high=None, low_together=None, high_together=None, launches=count,
                     spread=None, comparisons=comparisons)  # fmt: skip
    variance, degrees = loan.with_own(*spread)
    error = math.sqrt(variance / count)
    alone, together = (
        widened(error * student_quantile(share_below(of), degrees), levels.unseen, of) for of in (1, comparisons)
    )
    return Ratio(
        value=_from_log(mean),
        low=_from_log(mean - alone),
        high=_from_log(mean + alone),
        low_together=_from_log(mean - together),
        high_together=_from_log(mean + together),
        launches=count,
        spread=math.sqrt(variance),
        comparisons=comparisons,
        lent_degrees=loan.degrees,
        degrees=degrees,
        unseen=levels.unseen,
    )


def levels_between(pairs: Mapping[Key, tuple[Sample, Sample]]) -> dict[Key, Levels]:
    """Return the levels of each comparison, ours with theirs, that has any, as `paired_levels`."""
    return {name: levels for name, sides in pairs.items() if (levels := paired_levels(*sides)) is not None}


def paired_levels(ours: Sample, theirs: Sample) -> Levels | None:
    """Return the log ratio of each pair of launches, the earliest first; None as for `paired_ratio`."""
    paired = paired_amounts(ours, theirs)
    if paired is None:
        return None
    ours, theirs, pairing = paired
    our_cells, their_cells = pairing.ours.cells(ours.values), pairing.theirs.cells(theirs.values)
    levels = levels_of(replace(our_cells, values=np.log(our_cells.values) - np.log(their_cells.values)))
    return replace(levels, unseen=math.hypot(ours.unseen, theirs.unseen))


@dataclass(frozen=True, slots=True)
class Pairing:
    """Which runs of two samples are held against each other, and how many pairs of launches and items there are.

    Both sides have the same cells: a pair of launches, and an item that both made in it.
    """

    ours: CellRuns
    theirs: CellRuns
    pairs: int
    items: int


def paired_amounts(ours: Sample, theirs: Sample) -> tuple[Sample, Sample, Pairing] | None:
    """Return what is known of both, and how it pairs; None where nothing pairs, or a value is not positive."""
    ours, theirs = ours.known(), theirs.known()
    if not (len(ours) and len(theirs) and np.all(ours.values > 0) and np.all(theirs.values > 0)):
        return None
    pairing = pairing_of(ours, theirs)
    return None if pairing is None else (ours, theirs, pairing)


def pairing_of(ours: Sample, theirs: Sample) -> Pairing | None:
    """Pair the runs of two samples by round and item; None where nothing pairs."""
    return _pairing(*ours.where_made(), *theirs.where_made())


@lru_cache(maxsize=HELD)
def _pairing(*made: Packed) -> Pairing | None:
    """Pair runs by round and item; None where nothing pairs. made: `Sample.where_made` of ours, then of theirs."""
    columns = [unpacked(numbers) for numbers in made]
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
    mine, others = (
        _among(places[side] - before, CellRuns.of(pairs[side], items[side], pairs_count, items_count))
        for side, before in ((is_ours, 0), (~is_ours, ours))
    )
    return Pairing(ours=mine, theirs=others, pairs=pairs_count, items=items_count)


def _among(places: Whole, cells: CellRuns) -> CellRuns:
    """Return the cells of some runs of a sample, by their places in it, as cells of the sample."""
    return replace(cells, runs=replace(cells.runs, order=small(places[cells.runs.order])))


def _clusters(cells: Whole, rounds: Whole, launches: Whole, is_ours: np.ndarray) -> tuple[Whole, int]:
    """Number the pairs of launches: (n,) which pair each run belongs to, and how many there are.

    Launches hang together where they hold the same item of the same round; each such cluster is one pair.
    """
    members, count = numbered(rounds, np.where(is_ours, 0, 1), launches)
    return joined(members, cells, count)
