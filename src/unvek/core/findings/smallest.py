"""What so many rounds and tasks can show at all, from how much launches and tasks were seen to differ."""

import math
from dataclasses import dataclass

import numpy as np

from unvek.core.evidence.evidence import Evidence
from unvek.core.measures.catalogue import TIME
from unvek.core.stats.over_tasks.items import spread_over_tasks
from unvek.core.stats.student import smallest_told


@dataclass(frozen=True, slots=True, kw_only=True)
class Smallest:
    """The smallest difference that so many (rounds of `count`, or tasks) tell 8 times in 10, as a share; and twice as
    many.
    """

    of: str
    counted_in: str
    count: int
    share: float
    share_of_twice: float


def smallest_time(evidence: Evidence, rounds: int, variants: int) -> Smallest | None:
    """Of times, with so many rounds of so many variants; None where no spread is known yet."""
    ratios = [evidence.ratio_to_reference(TIME, variant.name) for variant in evidence.variants]
    known = [ratio for ratio in ratios if ratio is not None and ratio.spread is not None]
    if not known or rounds < 2:
        return None
    spread = math.sqrt(float(np.mean([(ratio.spread or 0.0) ** 2 for ratio in known])))
    lent, comparisons = float(np.median([ratio.lent_degrees for ratio in known])), max(1, variants - 1)
    once, twice = (math.expm1(smallest_told(spread, n, n - 1 + lent, comparisons)) for n in (rounds, 2 * rounds))
    return Smallest(of=TIME, counted_in="round", count=rounds, share=once, share_of_twice=twice)


def smallest_loss(evidence: Evidence, name: str, tasks: int, variants: int) -> Smallest | None:
    """Of a score, with so many tasks; None where it is not known how much they differ."""
    pairs = evidence.pairs_within(name, [np.ones(len(evidence.runs), bool)])
    spreads = [found for ours, theirs in pairs.values() if (found := spread_over_tasks(ours, theirs)) is not None]
    if not spreads or tasks < 2:
        return None
    spread = math.sqrt(float(np.mean(np.square(spreads))))
    once, twice = (smallest_told(spread, n, n - 1, max(1, variants - 1)) for n in (tasks, 2 * tasks))
    return Smallest(of=name, counted_in="task", count=tasks, share=once, share_of_twice=twice)
