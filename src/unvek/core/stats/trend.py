"""Whether a row of values goes down, told without a word on how they are distributed."""

import numpy as np
from numpy.typing import ArrayLike

FEWEST = 6
CLEAR_Z = -2.33  # one such row in a hundred looks like this by chance
LEAST_FALL = 0.03  # of the logarithm: a fall of 3 %


def fall(logs: ArrayLike) -> float | None:
    """Return by how much a row falls from its first third to its last, where it clearly does; else None.

    logs: shape (n,), logarithms in the order in which they were made; fewer than 6 tell nothing. Clear is what the
    rank test against trend says (H. B. Mann, Nonparametric tests against trend, 1945: S counts the pairs that rise
    less those that fall, with variance n (n - 1) (2 n + 5) / 18) and is 3 % at least. Assumes that the values do
    not depend on each other but for the trend.
    """
    values = np.asarray(logs, np.float64)
    n = len(values)
    if n < FEWEST:
        return None
    s = float(np.sign(values[None, :] - values[:, None])[np.triu_indices(n, 1)].sum())
    z = (s + 1) / np.sqrt(n * (n - 1) * (2 * n + 5) / 18)
    third = n // 3
    fallen = float(np.median(values[:third]) - np.median(values[-third:]))
    return fallen if z <= CLEAR_Z and fallen >= LEAST_FALL else None
