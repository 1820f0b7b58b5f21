"""The drift of a variant's outputs, from the likenesses that count."""

import numpy as np

from unvek.core.evidence.counted_runs import Truths, Whole
from unvek.core.evidence.evidence import Evidence
from unvek.core.measures.definition import LESS
from unvek.core.stats.grouping import Floats, first_places, group_middles, numbered
from unvek.core.stats.over_launches.launches import location
from unvek.core.stats.over_tasks.drift import drift
from unvek.core.stats.student import Estimate


def drift_of(evidence: Evidence, name: str, mine: Truths) -> Estimate | None:
    """Return where a variant's likeness lies between the reference's rerun (0) and its other seeds (1).

    Where the reference is asked anew in each run, 0 is the same output, as no run is a rerun. By item, each as where
    the likeness itself is shown: the median (or mean) of its runs.
    """
    runs, held = evidence.runs, evidence.held
    values = evidence.values.of(name)
    known = np.isfinite(values)
    rerun = known & runs.of_variant(evidence.reference) & (held.codes == runs.varied_codes)
    mine = mine & known
    others, of_tasks = evidence.values.likeness_to_other_seeds(name)
    same = evidence.values.kind_of(name).same if held.asked_anew else None
    if not (np.any(mine) and (np.any(rerun) or same is not None) and len(others)):
        return None
    averaged = evidence.values.is_averaged(name)
    targets, count = numbered(runs.task_codes, runs.seed, held.codes)
    of_rerun = np.full(count, np.nan if same is None else same)
    of_rerun[np.unique(targets[rerun])] = _by_group(values[rerun], targets[rerun], averaged)
    firsts = first_places(*numbered(runs.item[mine]))
    ours = _by_group(values[mine], runs.item[mine], averaged)
    target, tasks = targets[mine][firsts], runs.task_codes[mine][firsts]
    has_rerun = np.isfinite(of_rerun[target])
    ours, usual, tasks = ours[has_rerun], of_rerun[target][has_rerun], tasks[has_rerun]
    if not len(ours):
        return None
    place = location(evidence.sample(name, mine), averaged, evidence.pilot, logs=False)
    half_width = None if place is None or place.low is None else place.value - place.low
    lost, scale = usual - ours, usual - _of_other_seeds(tasks, others, of_tasks)
    better = evidence.values.measure(name).better
    is_distance = better == LESS or (better is None and scale.mean() < 0)
    return drift(-lost, -scale, tasks, half_width) if is_distance else drift(lost, scale, tasks, half_width)


def _by_group(values: Floats, groups: Whole, averaged: bool) -> Floats:
    """Return the median (or mean) of each group's values, in the order of the groups' numbers."""
    return group_middles(values, *numbered(groups), averaged)


def _of_other_seeds(tasks: Whole, values: Floats, of_tasks: Whole) -> Floats:
    """Return for each item (n,) the mean likeness of its task's other seeds, or that of all where it has none."""
    known = np.unique(of_tasks)
    means = _by_group(values, of_tasks, averaged=True)
    at = np.minimum(np.searchsorted(known, tasks), len(known) - 1)
    return np.where(known[at] == tasks, means[at], means.mean())
