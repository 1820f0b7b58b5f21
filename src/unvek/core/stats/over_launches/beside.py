"""What stands beside a typical run: the mean and the total, which feel stalls and long items, and the slowest."""

import math
from collections.abc import Mapping

import numpy as np

from unvek.core.stats.over_launches.launches import Key, Ratio, Sample, paired_amounts, ratios_together
from unvek.core.stats.over_launches.levels import Levels

FEWEST_FOR_SLOWEST = 40  # runs, from which on a 95th percentile is more than the slowest two


def ratios_of_sums(
    pairs: Mapping[Key, tuple[Sample, Sample]], averaged: bool, pilot: int | None = None
) -> dict[Key, Ratio]:
    """Return the ratios, ours over theirs, of what all items take together, each once; as for `ratios_together`.

    With `averaged` an item takes the mean of its repeats, so that a stall counts for as long as it lasts; else their
    median. Either way an item counts for as much as it takes, where in the ratio of a typical run all count alike. Only
    items that every pair of launches has are counted: a sum without one of them is another sum.
    """
    levels = {name: found for name, (ours, theirs) in pairs.items() if (found := _levels(ours, theirs, averaged))}
    return ratios_together(levels, pilot)


def _levels(ours: Sample, theirs: Sample, averaged: bool) -> Levels | None:
    """The log ratio of the two sums of each pair of launches; None where nothing pairs, or a value is not positive."""
    paired = paired_amounts(ours, theirs)
    if paired is None:
        return None
    ours, theirs, pairing = paired
    mine, other = (runs.cells(side.values, averaged) for side, runs in ((ours, pairing.ours), (theirs, pairing.theirs)))
    in_all = (np.bincount(mine.items, minlength=pairing.items) == pairing.pairs)[mine.items]
    if not np.any(in_all):
        return None
    sums, their_sums = (
        np.bincount(cells.launches[in_all], cells.values[in_all], pairing.pairs) for cells in (mine, other)
    )
    return Levels(np.log(sums) - np.log(their_sums), pairing.pairs - 1, math.hypot(ours.unseen, theirs.unseen))


def slowest(sample: Sample) -> float | None:
    """Return the 95th percentile over runs; None of fewer than tell of one."""
    values = sample.known().values
    return float(np.quantile(values, 0.95)) if len(values) >= FEWEST_FOR_SLOWEST else None
