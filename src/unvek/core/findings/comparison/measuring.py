"""One measure of every variant, over the parts of a table: where it lies, its ratio, and what that answers."""

from collections.abc import Sequence

import numpy as np

from unvek.core.evidence.counted_runs import Truths
from unvek.core.evidence.drift import drift_of
from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.comparison.answers import UNCLEAR, answer_of, ratio_found
from unvek.core.findings.comparison.found import BesideFound, MeasureFound
from unvek.core.findings.comparison.parts import Part
from unvek.core.plan.model import COUNTED
from unvek.core.stats.conclusions.conclusion import outlook
from unvek.core.stats.over_launches.beside import ratios_of_sums, slowest
from unvek.core.stats.over_launches.launches import Ratio, Sample, location
from unvek.core.stats.over_tasks.corpus import over_all_tokens
from unvek.core.stats.over_tasks.items import tasks_to_tell

MOST_DOTS = 200  # single runs drawn of one variant
LAUNCHES, TASKS = "launches", "tasks"


class MeasureInTable:
    """A measure over the parts of a table. with_sums: with what stands beside a typical run, of what adds up."""

    def __init__(self, evidence: Evidence, name: str, parts: Sequence[Part], with_sums: bool = False):
        self._evidence, self._parts = evidence, parts
        self._measure = evidence.values.measure(name)
        self._is_score = evidence.values.is_score(name)
        masks = [part.runs for part in parts]
        self._margins = [evidence.margin_share(name, mask) for mask in masks]
        self._pairs = evidence.pairs_within(name, masks)
        self._ratios = evidence.ratios_of(name, self._pairs, masks)
        self._has_sums = with_sums and self._measure.adds_up
        self._sums = {
            averaged: ratios_of_sums(self._pairs, averaged, evidence.pilot) if self._has_sums else {}
            for averaged in (True, False)
        }

    def of(self, place: int, variant: str) -> MeasureFound:
        """Return what is found of a variant in a part of the table, by its place."""
        evidence, measure, key = self._evidence, self._measure, (place, variant)
        mine = self._parts[place].runs & evidence.runs.of_variant(variant)
        located, ratio = evidence.location(measure.name, mine), self._ratios.get(key)
        is_sure_of_nothing = self._is_score and ratio is not None and ratio.low_together == ratio.high_together
        margin, share = evidence.margin(measure.name), self._margins[place]
        answer = None if is_sure_of_nothing else answer_of(measure, ratio, share)
        ahead = outlook(ratio, share) if ratio is not None and answer == UNCLEAR else None
        sample, pair = evidence.sample(measure.name, mine), self._pairs.get(key)
        known = sample.known().values
        drift = drift_of(evidence, measure.name, mine) if measure.name in evidence.values.likeness_names else None
        return MeasureFound(
            unit=measure.unit,
            better=measure.better,
            typical=located.value if located else None,
            low=located.low if located else None,
            high=located.high if located else None,
            ratio=ratio_found(ratio),
            answer=answer,
            more_rounds=ahead.middle if ahead is not None else None,
            more_rounds_low=ahead.low if ahead is not None else None,
            more_rounds_high=ahead.high if ahead is not None else None,
            over=TASKS if self._is_score else LAUNCHES,
            drift=drift.value if drift else None,
            drift_low=drift.low if drift else None,
            drift_high=drift.high if drift else None,
            margin=margin,
            tasks=evidence.record(measure.name, pair) if pair is not None else None,
            tasks_to_tell=tasks_to_tell(*pair, share) if self._is_score and pair is not None else None,
            mean=self._sum(key, sample, averaged=True),
            total=self._sum(key, sample, averaged=False),
            slowest=slowest(sample) if self._has_sums else None,
            corpus=self._corpus(place, variant),
            dots=tuple(float(value) for value in known[:: max(1, len(known) // MOST_DOTS)]),
        )

    def _of_reference(self, place: int) -> Truths:
        return np.asarray(self._parts[place].runs & self._evidence.runs.of_variant(self._evidence.reference))

    def _sum(self, key: tuple[int, str], sample: Sample, averaged: bool) -> BesideFound | None:
        """The mean over items of what a run takes, or the total of one run of each."""
        if not self._has_sums:
            return None
        located = location(sample, averaged, self._evidence.pilot, logs=False)
        if located is None:
            return None
        times = 1 if averaged else len(np.unique(sample.known().items))
        ratio = self._sums[averaged].get(key)
        return BesideFound(
            value=located.value * times,
            low=None if located.low is None else located.low * times,
            high=None if located.high is None else located.high * times,
            ratio=ratio_found(ratio),
            answer=answer_of(self._measure, ratio, self._margins[key[0]]),
        )

    def _corpus(self, place: int, variant: str) -> BesideFound | None:
        """The value over all tokens, of a measure that is counted by them."""
        name, evidence = self._measure.name, self._evidence
        if not any(asked.name == name and asked.of_kind.counted_by for asked in evidence.plan.measures):
            return None
        mine = self._parts[place].runs & evidence.runs.of_variant(variant)
        is_reference = variant == evidence.reference
        theirs = None if is_reference else evidence.sample(name, self._of_reference(place))
        comparisons = max(1, len(self._pairs))
        counts = evidence.sample(name + COUNTED, mine)
        found = over_all_tokens(evidence.sample(name, mine), counts, theirs, comparisons)
        if found is None:
            return None
        ratio = None
        if found.ratio is not None:
            ratio = Ratio(
                value=found.ratio, low=found.low, high=found.high, low_together=found.low_together,
                high_together=found.high_together, launches=0, spread=None, comparisons=comparisons,
            )  # fmt: skip
        answer = answer_of(self._measure, ratio, self._margins[place])
        return BesideFound(value=found.value, low=None, high=None, ratio=ratio_found(ratio), answer=answer)
