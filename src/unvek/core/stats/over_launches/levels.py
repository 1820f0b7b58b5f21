"""Levels: what each launch, or each pair of launches, comes to over the items that it made.

A cell is an item in a launch, and its value the median (or mean) of its repeats. What an item takes whatever the
launch, and what a launch adds whatever the item, are told apart by least squares (the two-way layout with at most one
value a cell; Scheffe 1959, "The Analysis of Variance", sections 4.1 and 4.4). With every cell there a launch's level is
the mean over the items; where cells are missing it is what that mean would have been, so that an item which a launch
lacks does not move it. Means, and no medians over items or launches: a median of few is one of them, which then seems
sure.
"""

from dataclasses import dataclass

import numpy as np

from unvek.core.stats.grouping import Floats, Groups, Whole, first_places, group_means, numbered, small

MOST_TURNS = 1000
SMALL = 1e-12  # of what the values lie apart


@dataclass(frozen=True, slots=True)
class Levels:
    """(launches,) levels, and the degrees of freedom of their spread: launches less one.

    Launches that hang together by no item with the others say nothing of how far they lie from these: of several such
    parts, each costs a degree. unseen: of the samples that they are of.
    """

    values: Floats
    degrees: int
    unseen: float = 0.0

    @property
    def mean(self) -> float:
        return float(np.mean(self.values))

    def spread(self, pilot: int | None = None) -> tuple[float, int] | None:
        """Return the variance of one level around the rest and its degrees of freedom; None where nothing is known.

        Where the spread of the first `pilot` launches has decided how many were made, theirs alone is taken (see
        `student.mean_and_half_width`).
        """
        if pilot is not None and 2 <= pilot < len(self.values):
            return float(np.var(self.values[:pilot], ddof=1)), pilot - 1
        if self.degrees < 1:
            return None
        return float(np.sum((self.values - self.mean) ** 2)) / self.degrees, self.degrees


@dataclass(frozen=True, slots=True)
class Cells:
    """(n,) one value of each cell that is there, with the number of its launch and of its item."""

    values: Floats
    launches: Whole
    items: Whole
    launch_count: int
    item_count: int


@dataclass(frozen=True, slots=True)
class CellRuns:
    """Which runs make which cell: found once for all that is measured of the same runs."""

    runs: Groups
    launches: Whole
    items: Whole
    launch_count: int
    item_count: int

    @classmethod
    def of(cls, launches: Whole, items: Whole, launch_count: int, item_count: int) -> "CellRuns":
        """launches, items: (n,) each run's, numbered without gaps."""
        runs = Groups.of(*numbered(launches, items))
        firsts = runs.firsts
        return cls(runs, small(launches[firsts]), small(items[firsts]), launch_count, item_count)

    def cells(self, values: Floats, averaged: bool = False) -> Cells:
        """Return the median (or mean) of each cell's values (n,)."""
        of_cells = self.runs.middles(values, averaged)
        launches, items = (numbers.astype(np.int64) for numbers in (self.launches, self.items))
        return Cells(of_cells, launches, items, self.launch_count, self.item_count)


def cells_of(
    values: Floats, launches: Whole, items: Whole, launch_count: int, item_count: int, averaged: bool = False
) -> Cells:
    """Return the median (or mean) of each cell's values. values: (n,), with launch and item, numbered without gaps."""
    return CellRuns.of(launches, items, launch_count, item_count).cells(values, averaged)


def levels_of(cells: Cells) -> Levels:
    """Return each launch's level over all items."""
    values, launches, items, count = cells.values, cells.launches, cells.items, cells.launch_count
    if len(values) == count * cells.item_count:
        return Levels(group_means(values, launches, count), count - 1)
    parts, part_count = joined(launches, items, count)
    of_launch = parts[first_places(launches, count)]
    added = np.zeros(count)
    least = SMALL * max(float(np.ptp(values)), SMALL)
    for _ in range(MOST_TURNS):  # what items take, given what launches add; then that, given this; and so on
        usual = group_means(values - added[launches], items, cells.item_count)
        now = group_means(values - usual[items], launches, count)
        now -= group_means(now, of_launch, part_count)[of_launch]
        moved = float(np.max(np.abs(now - added)))
        added = now
        if moved <= least:
            break
    usual = group_means(values - added[launches], items, cells.item_count)
    return Levels(float(np.mean(usual)) + added, count - part_count)


def joined(members: Whole, shared: Whole, count: int) -> tuple[Whole, int]:
    """Number the parts that hang together: (n,) which part each row's member is in, and how many parts there are.

    members: (n,) from 0 to count - 1; two are in one part where they have a value of `shared` in common, or a third
    has one in common with both.
    """
    labels = members
    while True:  # every member takes the least number among those it shares something with, until nothing changes
        least = np.full(int(shared.max()) + 1, count)
        np.minimum.at(least, shared, labels)
        mine = np.full(count, count)
        np.minimum.at(mine, members, least[shared])
        now = mine[members]
        if np.array_equal(now, labels):
            return numbered(labels)
        labels = now
