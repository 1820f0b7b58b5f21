"""What the user needs of a pick: whether a variant is known to meet it, known not to, or neither."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from unvek.core.errors import InputError
from unvek.core.evidence.counted_runs import Truths
from unvek.core.evidence.evidence import Evidence
from unvek.core.measures.catalogue import COST_PER_GOOD
from unvek.core.plan.needs import worded_need
from unvek.core.run.events.record import FAILURES, OUTCOMES
from unvek.core.stats.shares import share_by_launch
from unvek.core.stats.student import Estimate
from unvek.core.units import counted

FAILURE_SHARE = "failures"  # the share of a variant's runs with an outcome that failed
MET, UNMET, NOT_SHOWN = "met", "unmet", "not shown"


@dataclass(frozen=True, slots=True, kw_only=True)
class Need:
    """A bound that a pick must keep; `text` is as the user wrote it.

    share: of the runs that must keep it; None for a typical run. Of memory every run must: it does not matter how much
    is held mostly.
    """

    measure: str
    at_most: bool
    bound: float
    text: str
    share: float | None = None
    is_of_largest: bool = False

    @property
    def is_of_middle(self) -> bool:
        """Whether it speaks of what is typical, or of the mean, and not of single runs."""
        return self.share is None and not self.is_of_largest and self.measure != FAILURE_SHARE

    def state(self, evidence: Evidence, mine: Truths) -> tuple[str, str]:
        """Return whether these runs of a variant meet it, do not, or are not shown to; and why, in words, if not."""
        if self.measure == FAILURE_SHARE:
            return self._state_of(failure_share(evidence, mine))
        if self.measure not in evidence.values.measures:
            return UNMET, "it is not known yet"
        values = evidence.values.of(self.measure)[mine]
        known = np.isfinite(values)
        if not np.any(known):
            return UNMET, "it is not known"
        breaks = values[known] > self.bound if self.at_most else values[known] < self.bound
        why = f"{np.count_nonzero(breaks)} of {counted(len(breaks), 'run')} break it"
        if self.is_of_largest:
            return UNMET if np.any(breaks) else MET, why
        if self.share is not None:
            low, high, _ = share_by_launch(breaks, evidence.runs.launch[mine][known])
            return MET if high <= 1 - self.share else UNMET if low > 1 - self.share else NOT_SHOWN, why
        found = evidence.location(self.measure, mine)
        if found is None:
            return UNMET, "none is good" if self.measure == COST_PER_GOOD else "it is not known"
        return self._state_of(found)

    def _state_of(self, found: Estimate) -> tuple[str, str]:
        if found.low is None or found.high is None:
            ends = "its interval has no end" if (found.low is None) != (found.high is None) else "there is one launch"
            return NOT_SHOWN if self.keeps(found.value) else UNMET, ends
        keeps = [self.keeps(end) for end in (found.low, found.high)]
        return MET if all(keeps) else NOT_SHOWN if any(keeps) else UNMET, "its interval reaches over it"

    def keeps(self, value: float) -> bool:
        return value <= self.bound if self.at_most else value >= self.bound


def failure_share(evidence: Evidence, mine: Truths) -> Estimate:
    """Return how often a variant's runs fail, of those with an outcome."""
    status = evidence.runs.status.take(mine)
    has_outcome = status.where(lambda status: status in OUTCOMES)
    failed = status.where(lambda status: status in FAILURES)[has_outcome]
    low, high, _ = share_by_launch(failed, evidence.runs.launch[mine][has_outcome])
    return Estimate(value=float(np.mean(failed)) if len(failed) else 0.0, low=low, high=high)


def parse_need(text: str, evidence: Evidence) -> Need:
    """Return the need that a text words; InputError says what would be right."""
    try:
        need = worded_need(text)
    except ValueError as error:
        raise InputError(f"{text!r} is no need; wanted {error}") from error
    unit = "" if need.measure == FAILURE_SHARE else evidence.values.measure(need.measure).unit
    try:
        bound = need.bound(unit)
    except ValueError as error:
        raise InputError(f"{need.amount!r} in {text!r} can't be read; wanted {error}") from error
    return Need(measure=need.measure, at_most=need.at_most, bound=bound, text=text, share=need.share,
                is_of_largest=unit == "B" and need.share is None and need.at_most)  # fmt: skip


def _of_plan(text: str, evidence: Evidence) -> Need:
    """Return a need of the plan; of what judges have not said yet, or no program, nothing is known."""
    need = worded_need(text)
    if need.measure in evidence.values.measures:
        return parse_need(text, evidence)
    return Need(measure=need.measure, at_most=need.at_most, bound=math.nan, text=text, share=need.share)


def needs_with(evidence: Evidence, asked: Sequence[Need]) -> tuple[Need, ...]:
    """Return what is asked for, and of the plan's needs those of other measures, or of their other end."""
    given = [_of_plan(text, evidence) for text in evidence.plan.needs]
    taken = {(need.measure, need.at_most, need.share) for need in asked}
    return (*(need for need in given if (need.measure, need.at_most, need.share) not in taken), *asked)
