"""What is wished for of a pick, and how good each variant is by that: in margins, so that unlike things add up.

The gain of a variant over another on one wish is counted in margins of its measure: of times, sizes and costs by the
logarithm of their ratio, of scores by their difference. The merit is the mean of the gains, weighted as wished: where
likeness has three times the weight, a margin of it is worth three margins of time. Two whose merits differ by less than
1 are even: in the mean over what is wished for they differ by less than anybody cares about.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from unvek.core.errors import InputError
from unvek.core.evidence.evidence import Evidence
from unvek.core.measures.catalogue import TIME
from unvek.core.stats.conclusions.frontier import Costs
from unvek.core.stats.grouping import Floats
from unvek.core.stats.quantiles import normal_quantile
from unvek.core.stats.student import CONFIDENCE

EVEN = 1.0  # a margin, in the mean over the wishes
FEWEST_BEYOND = 5  # draws, for a quantile of them to be read off
HIGHEST_WEIGHT = 1e6


@dataclass(frozen=True, slots=True, kw_only=True)
class Wish:
    """A measure that the pick is to be good in; weights count against each other."""

    measure: str
    weight: float = 1.0


USUAL_WISH = Wish(measure=TIME)


def parse_wish(text: str, evidence: Evidence) -> Wish:
    """Return the wish that NAME or NAME=WEIGHT words; InputError says what would be right."""
    name, has_weight, weight = text.partition("=")
    measure = evidence.values.measure(name.strip())
    if measure.better is None:
        raise InputError(f"of {measure.name} neither more nor less is better, so it can't be wished for")
    try:
        number = float(weight) if has_weight else 1.0
    except ValueError:
        number = 0.0
    if not 0 < number <= HIGHEST_WEIGHT:
        raise InputError(f"{weight!r} in {text!r} is no weight; wanted a number above 0, as in likeness=3")
    return Wish(measure=measure.name, weight=number)


@dataclass(frozen=True, slots=True, kw_only=True)
class Merits:
    """(n,) how good each variant is, in margins; (draws, n) what it may truly be. NaN where a wish is not known."""

    found: Floats
    drawn: Floats

    def low_of(self, better: int, other: int, comparisons: int) -> float:
        """Return by how much one is better than the other at least, as a table of so many comparisons has it."""
        return self._end(better, other, (1 - CONFIDENCE) / 2 / max(1, comparisons))

    def may_be_better(self, other: int, best: int, comparisons: int) -> bool:
        """Whether it is not shown that the other is no better, by a margin or more, than the one that seems best."""
        low = self.low_of(best, other, comparisons)
        return not low > -EVEN

    def is_better(self, one: int, other: int, comparisons: int) -> bool:
        """Whether it is shown to be better, and not only by less than a margin."""
        low, high = self.low_of(one, other, comparisons), -self.low_of(other, one, comparisons)
        return low > 0 and high > EVEN

    def _end(self, better: int, other: int, share: float) -> float:
        """A quantile of the drawn differences; beyond the last few draws, of a normal distribution of their spread."""
        if better == other:
            return 0.0
        apart = self.drawn[:, better] - self.drawn[:, other]
        if not np.all(np.isfinite(apart)):
            return -np.inf
        if share * len(apart) >= FEWEST_BEYOND:
            return float(np.quantile(apart, share))
        return float(np.mean(apart) + normal_quantile(share) * np.std(apart))


def merits_of(costs: Costs, places: Sequence[int], weights: Sequence[float]) -> Merits:
    """Return the merits by the counts at these places of the costs, each with its weight."""
    scales = np.array(weights) / np.sum(weights) / np.maximum(costs.margins[list(places)], 1e-12)
    return Merits(found=-costs.found[:, list(places)] @ scales, drawn=-costs.drawn[:, :, list(places)] @ scales)
