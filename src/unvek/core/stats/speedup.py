"""Where a speed-up comes from: fewer steps, cheaper steps, or what a run takes beside its steps."""

from dataclasses import dataclass

import numpy as np

from unvek.core.stats.grouping import Floats, Whole, finite, group_means, group_medians, numbered
from unvek.core.stats.student import Estimate, estimate


@dataclass(frozen=True, slots=True, kw_only=True)
class SteppedRuns:
    """Runs of one variant: (n,) seconds, counts of steps, seconds a step, and each one's round and item."""

    time_s: Floats
    steps: Floats
    step_s: Floats
    rounds: Whole
    items: Whole


@dataclass(frozen=True, slots=True, kw_only=True)
class Split:
    """Seconds by which a variant takes less than the reference (more: below 0), in three parts that add up.

    steps and reference_steps are their counts of steps, step_s and reference_step_s their seconds a step.
    """

    fewer_steps_s: Estimate
    cheaper_steps_s: Estimate
    fixed_s: Estimate
    steps: float
    reference_steps: float
    step_s: float
    reference_step_s: float


def split_speed_up(ours: SteppedRuns, theirs: SteppedRuns) -> Split | None:
    """Split the time saved against the reference, paired by round and item, with intervals over rounds.

    With n steps of s seconds and a fixed part f, and n0, s0, f0 for the reference, the time saved is
    (n0 - n) (s0 + s) / 2 + (s0 - s) (n0 + n) / 2 + (f0 - f): each part is the mean of what it comes to when it is
    changed first and when it is changed last (the value of Shapley 1953 for two; in price and quantity Marshall and
    Edgeworth's). None where either takes no steps, or nothing pairs.
    """
    our_cells, their_cells = _cells(ours), _cells(theirs)
    common = sorted(our_cells.keys() & their_cells.keys())
    if not common:
        return None
    total, n, s = np.array([our_cells[cell] for cell in common]).T
    total0, n0, s0 = np.array([their_cells[cell] for cell in common]).T
    rounds, count = numbered(np.array([cell[0] for cell in common]))
    parts = (
        (n0 - n) * (s0 + s) / 2,
        (s0 - s) * (n0 + n) / 2,
        (total0 - n0 * s0) - (total - n * s),
    )
    fewer, cheaper, fixed = (estimate(group_means(part, rounds, count)) for part in parts)
    return Split(
        fewer_steps_s=fewer, cheaper_steps_s=cheaper, fixed_s=fixed, steps=float(n.mean()),
        reference_steps=float(n0.mean()), step_s=float(s.mean()), reference_step_s=float(s0.mean()),
    )  # fmt: skip


def _cells(runs: SteppedRuns) -> dict[tuple[int, int], tuple[float, float, float]]:
    """The medians of time, steps and step time of each round's item, of runs with steps."""
    stepped = np.where(runs.steps > 0, runs.time_s * runs.step_s, np.nan)
    _, time_s, steps, step_s, rounds, items = finite(
        stepped, runs.time_s, runs.steps, runs.step_s, runs.rounds, runs.items
    )
    if not len(time_s):
        return {}
    places, count = numbered(rounds, items)
    firsts = np.unique(places, return_index=True)[1]
    columns = (group_medians(values, places, count).tolist() for values in (time_s, steps, step_s))
    keys = zip(rounds[firsts].tolist(), items[firsts].tolist(), strict=True)
    return {key: (total, n, s) for key, total, n, s in zip(keys, *columns, strict=True)}
