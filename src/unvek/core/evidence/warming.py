"""Cold and warm: which launches were still getting faster after their warm-ups."""

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from unvek.core.stats.grouping import Floats, group_medians, numbered
from unvek.core.stats.trend import fall

Whole = NDArray[np.int64]


@dataclass(frozen=True, slots=True, kw_only=True)
class Warming:
    """A launch whose runs went on getting faster: by what share of their time, from the first third to the last."""

    launch: int
    variant: str
    runs: int
    less_time_share: float


def still_warming(times_s: Floats, cells: Whole, launches: Whole, places: Whole) -> Iterator[tuple[int, int, float]]:
    """Look at each launch's runs, each against the usual time of its cell; yield (launch, runs, share of less time).

    times_s: (n,) of measured runs, NaN where they did not finish; cells, launches and places (within the launch) say
    which run each is.
    """
    known = np.flatnonzero(np.isfinite(times_s) & (times_s > 0))
    if not len(known):
        return
    codes, count = numbered(cells[known])
    logs = np.log(times_s[known])
    apart = logs - group_medians(logs, codes, count)[codes]
    order = np.lexsort((places[known], launches[known]))
    starts = np.flatnonzero(np.r_[True, np.diff(launches[known][order]) != 0])
    for of_launch in np.split(order, starts[1:]):
        fallen = fall(apart[of_launch])
        if fallen is not None:
            yield int(launches[known][of_launch[0]]), len(of_launch), 1 - math.exp(-fallen)
