"""Medians and means of many groups at once, without a loop over them."""

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


def group_medians(values: Floats, groups: Whole, count: int) -> Floats:
    """Return (count,) the median of each group's values (n,); groups are numbered from 0, and none is empty."""
    small = groups.astype(np.uint16) if count < 2**16 else groups  # NumPy sorts these by counting
    sizes = np.bincount(groups, minlength=count)
    lower, upper = (sizes - 1) // 2, sizes // 2
    most = int(sizes.max(initial=0))
    if count * most <= 2 * len(values):  # groups of about one size: a row for each, and short rows are sorted fast
        rows = np.full((count, most), np.inf)
        rows[np.arange(most) < sizes[:, None]] = values[np.argsort(small, kind="stable")]
        rows.sort(axis=1)
        each = np.arange(count)
        return np.asarray((rows[each, lower] + rows[each, upper]) / 2)
    by_value = np.argsort(values)
    ordered = values[by_value[np.argsort(small[by_value], kind="stable")]]
    starts = np.cumsum(sizes) - sizes
    return np.asarray((ordered[starts + lower] + ordered[starts + upper]) / 2)


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
