"""The drift scale: where a likeness lies between a rerun of the reference (0) and another seed of it (1)."""

import numpy as np

from unvek.core.stats.grouping import Floats, Whole, numbered
from unvek.core.stats.over_tasks.items import ratio_over_tasks
from unvek.core.stats.student import Estimate


def drift(lost: Floats, scale: Floats, tasks: Whole, over_launches: float | None = None) -> Estimate | None:
    """Return the sum of what likenesses lost against a rerun over that of what another seed loses.

    lost, scale: (items,) a rerun's likeness less ours, and less that of another seed; tasks: (items,) each one's task,
    which is what is drawn. The interval is over tasks, or over launches where that is wider; over_launches: half the
    width of the mean likeness over launches. None where another seed loses nothing.
    """
    by_task, count = numbered(tasks)
    pairs = np.stack([np.bincount(by_task, part, count) for part in (lost, scale)], axis=-1, dtype=np.float64)
    if not len(lost) or pairs[:, 1].mean() <= 0:
        return None
    value = float(pairs[:, 0].mean() / pairs[:, 1].mean())
    ends = list(ratio_over_tasks(pairs) or ())
    if over_launches is not None:
        half_width = over_launches / float(scale.mean())
        ends += [value - half_width, value + half_width]
    known = [end for end in ends if np.isfinite(end)]
    return Estimate(value=value, low=min(known, default=None), high=max(known, default=None))
