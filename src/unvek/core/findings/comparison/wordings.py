"""Whether a score depends on how a prompt is worded as it does on the variant, where tasks have several wordings."""

from collections.abc import Iterator
from itertools import combinations

import numpy as np

from unvek.core.evidence.evidence import Evidence
from unvek.core.plan.model import wording_of
from unvek.core.stats.grouping import Floats, numbered

MOST_NAMED = 3  # pairs of variants


def wording_notes(evidence: Evidence, name: str) -> Iterator[str]:
    """Say which moves a score more, wordings or variants, and whether variants stand in one order in each wording.

    Each counts by the root mean square, over tasks, of its means' standard deviation. The n-th wordings of all tasks
    are one set of prompts; an order changes where two variants differ by more than the margin one way in one set, and
    the other way in another.
    """
    scores = _by_task(evidence, name)
    if len(scores) == 0:
        return
    over_wordings = float(np.sqrt(np.mean(np.var(scores.mean(axis=1), axis=1, ddof=1))))
    over_variants = float(np.sqrt(np.mean(np.var(scores.mean(axis=2), axis=1, ddof=1))))
    which = "the variant" if over_variants >= over_wordings else "the wording"
    yield (f"{name} moves by {over_wordings:.2g} with the wording of a prompt, by {over_variants:.2g} with the variant "
           f"(standard deviations within a task): {which} counts for more.")  # fmt: skip
    changed = _changed_order(evidence, name, scores)
    if changed:
        more = f" and {len(changed) - MOST_NAMED} more pairs" if len(changed) > MOST_NAMED else ""
        yield f"The order by {name} depends on the wording: {', '.join(changed[:MOST_NAMED])}{more} change places."
    else:
        yield f"The order of variants by {name} holds in every wording, as far as they differ by more than the margin."


def _by_task(evidence: Evidence, name: str) -> Floats:
    """Return (tasks, variants, wordings) mean scores, of the tasks that have every one of as many wordings as most."""
    runs, values = evidence.runs, evidence.values.of(name)
    wordings = np.array([wording_of(varied) for varied in runs.few_varied], np.int64)[runs.rows.coded("varied").codes]
    known = np.isfinite(values) & (wordings > 0)
    of_known, count = numbered(wordings[known])
    variants = len(evidence.variants)
    if count < 2 or variants < 2:
        return np.zeros(0)
    shape = (int(runs.task_codes.max()) + 1, variants, count)
    cells = np.ravel_multi_index((runs.task_codes[known], runs.variant[known], of_known), shape)
    sums, counts = (
        np.bincount(cells, weights, int(np.prod(shape))).reshape(shape) for weights in (values[known], None)
    )
    is_whole = np.all(counts > 0, axis=(1, 2))
    return np.asarray(sums[is_whole] / counts[is_whole])


def _changed_order(evidence: Evidence, name: str, scores: Floats) -> list[str]:
    """Return the pairs of variants that change places from one set of wordings to another."""
    of_sets = scores.mean(axis=0)  # (variants, wordings)
    margin = evidence.margin(name)
    least = margin.value if margin.is_absolute else margin.value * float(np.abs(of_sets).mean())
    changed = []
    for (one, ours), (other, theirs) in combinations(zip(evidence.variants, of_sets, strict=True), 2):
        apart = ours - theirs
        if np.any(apart > least) and np.any(apart < -least):
            changed.append(f"{one.name} and {other.name}")
    return changed
