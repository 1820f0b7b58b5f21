"""Medians and means of many groups at once, without a loop over them."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Whole = NDArray[np.integer]
SMALL = 2**31


def numbered(*keys: Whole) -> tuple[Whole, int]:
    """Return (n,) the number of each row's group from 0, in the order of the keys, and how many groups there are."""
    combined, count = _dense(keys[0])
    for key in keys[1:]:
        places, number = _dense(key)
        combined, count = _dense(combined * number + places)
    return combined, count


def _dense(key: Whole) -> tuple[Whole, int]:
    """Number the values of one key without gaps; without a sort where they are small numbers, as they mostly are."""
    if not len(key):
        return key, 0
    least, most = int(key.min()), int(key.max())
    if most - least > 8 * len(key) + 1000:
        groups, places = np.unique(key, return_inverse=True)
        return places, len(groups)
    numbers = np.cumsum(np.bincount(key - least) > 0) - 1
    return numbers[key - least], int(numbers[-1]) + 1


def first_places(groups: Whole, count: int) -> Whole:
    """Return (count,) the first place of each group, numbered from 0; -1 where it has none."""
    first = np.full(count, -1, np.int64)
    first[groups[::-1]] = np.arange(len(groups))[::-1]
    return first


@dataclass(frozen=True, slots=True)
class Groups:
    """Which rows belong together: (n,) their places, group by group, and (count,) how many each has; none is empty.

    Found once for all columns that are of the same rows.
    """

    order: Whole
    sizes: Whole

    @classmethod
    def of(cls, groups: Whole, count: int) -> "Groups":
        """groups: (n,) the number of each row's group, from 0."""
        return cls(small(_sorted(groups, count)), small(np.bincount(groups, minlength=count)))

    @property
    def firsts(self) -> Whole:
        """(count,) the first place of each."""
        return np.asarray(self.order[np.cumsum(self.sizes) - self.sizes])

    def medians(self, values: Floats) -> Floats:
        """Return (count,) the median of each group's values."""
        ordered, sizes, count, most = values[self.order], self.sizes, len(self.sizes), int(self.sizes.max(initial=0))
        lower, upper = (sizes - 1) // 2, sizes // 2
        if count * most == len(ordered):
            rows = ordered.reshape(count, most)
        elif count * most <= 2 * len(ordered):
            rows = np.full((count, most), np.inf)
            rows[np.arange(most) < sizes[:, None]] = ordered
        else:
            by_value = np.argsort(ordered)
            ordered = ordered[by_value[_sorted(self._of_rows[by_value], count)]]
            starts = np.cumsum(sizes) - sizes
            return np.asarray((ordered[starts + lower] + ordered[starts + upper]) / 2)
        rows.sort(axis=1)  # groups of about one size: a row for each, and short rows are sorted fast
        each = np.arange(count)
        return np.asarray((rows[each, lower] + rows[each, upper]) / 2)

    def means(self, values: Floats) -> Floats:
        """Return (count,) the mean of each group's values."""
        return np.asarray(np.bincount(self._of_rows, values[self.order], len(self.sizes)) / self.sizes)

    def middles(self, values: Floats, averaged: bool) -> Floats:
        """Return (count,) what each group's values come to: their median, or their mean."""
        return (self.means if averaged else self.medians)(values)

    @property
    def _of_rows(self) -> Whole:
        return np.repeat(np.arange(len(self.sizes)), self.sizes)


def _sorted(groups: Whole, count: int) -> Whole:
    """Return the places in the order of their groups; NumPy sorts small numbers by counting."""
    return np.argsort(groups.astype(np.uint16) if count <= 2**16 else groups, kind="stable")


def group_medians(values: Floats, groups: Whole, count: int) -> Floats:
    """Return (count,) the median of each group's values (n,); groups are numbered from 0, and none is empty."""
    return Groups.of(groups, count).medians(values)


def group_means(values: Floats, groups: Whole, count: int) -> Floats:
    """Return (count,) the mean of each group's values (n,); groups are numbered from 0, and none is empty."""
    return np.asarray(np.bincount(groups, values, count) / np.bincount(groups, minlength=count))


def group_middles(values: Floats, groups: Whole, count: int, averaged: bool) -> Floats:
    """Return (count,) what each group's values come to: their median, or their mean."""
    return (group_means if averaged else group_medians)(values, groups, count)


def finite(values: Floats, *along: NDArray[Any]) -> tuple[NDArray[Any], ...]:
    """Return the values that are known, and what belongs to them."""
    known = np.isfinite(values)
    return (values[known], *(array[known] for array in along))


def small(numbers: Whole) -> Whole:
    """Return whole numbers in half the room, where they fit: many are held. Nothing is to be reckoned with them."""
    fits = not len(numbers) or (int(numbers.min()) >= -SMALL and int(numbers.max()) < SMALL)
    return numbers.astype(np.int32) if fits else numbers
