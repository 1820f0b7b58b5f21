"""Whether a row of values goes up or down, told without a word on how they are distributed."""

from functools import cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from unvek.core.stats.grouping import group_medians

Places = NDArray[np.integer]

FEWEST = 6
MOST = 200  # of a longer row the medians of so many stretches are looked at: the test looks at every pair
CLEAR_Z = 2.33  # one such row in a hundred falls like this by chance, and one rises
LEAST_CHANGE = 0.03  # of the logarithm: 3 %


@cache
def _pairs(n: int) -> tuple[Places, Places]:
    """Every two of n places, the earlier and the later one."""
    return np.triu_indices(n, 1)


def fall(logs: ArrayLike) -> float | None:
    """Return by how much a row falls from its first third to its last, where it clearly does; else None."""
    changed = change(logs)
    return -changed if changed is not None and changed < 0 else None


def change(logs: ArrayLike) -> float | None:
    """Return by how much a row rises (falls: below 0) from its first third to its last, where it clearly does.

    logs: shape (n,), logarithms in the order in which they were made; fewer than 6 tell nothing. Clear is what the
    rank test against trend says (H. B. Mann, Nonparametric tests against trend, 1945: S counts the pairs that rise
    less those that fall, with variance n (n - 1) (2 n + 5) / 18) and is 3 % at least. Assumes that the values do
    not depend on each other but for the trend. None where it is not clear.
    """
    values = np.asarray(logs, np.float64)
    if len(values) > MOST:
        values = group_medians(values, np.arange(len(values)) * MOST // len(values), MOST)
    n = len(values)
    if n < FEWEST:
        return None
    earlier, later = _pairs(n)
    before, after = values[earlier], values[later]
    s = float(np.count_nonzero(after > before) - np.count_nonzero(after < before))
    z = (s - np.sign(s)) / np.sqrt(n * (n - 1) * (2 * n + 5) / 18)
    third = n // 3
    risen = float(np.median(values[-third:]) - np.median(values[:third]))
    is_clear = abs(z) >= CLEAR_Z and abs(risen) >= LEAST_CHANGE and risen * z > 0
    return risen if is_clear else None
