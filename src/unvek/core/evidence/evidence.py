"""What findings rest on: the newest plan's runs that count, what is known of them, and how that is put in figures."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from unvek.core.evidence.by_hand import hand_error
from unvek.core.evidence.counted_runs import CountedRuns, Floats, Truths, VariantOnRecord
from unvek.core.evidence.held import HeldAgainst
from unvek.core.evidence.measurements import PoorOutputs, Without
from unvek.core.evidence.settings import RunSettings
from unvek.core.evidence.values import Values
from unvek.core.logbook.rows import RunRow
from unvek.core.measures.catalogue import COST_PER_GOOD, MODEL_MEMORY, PEAK_MEMORY
from unvek.core.measures.definition import MORE
from unvek.core.plan.model import USUAL_MARGIN, Margin, Plan, WantedMeasure
from unvek.core.run.events.record import Provenance
from unvek.core.stats.grouping import Whole, small
from unvek.core.stats.over_launches.beside import ratios_of_sums
from unvek.core.stats.over_launches.launches import (
    Ratio,
    Sample,
    levels_between,
    location,
    ratios_together,
)
from unvek.core.stats.over_tasks.items import TaskRecord, score_location, score_ratios, task_record
from unvek.core.stats.over_tasks.paid_for_good import paid_for_good, ratio_for_good
from unvek.core.stats.student import Estimate

MOST_HELD = 200  # selections of runs


@dataclass(frozen=True, slots=True, kw_only=True)
class Evidence:
    """The runs that count, with their measures' values, and what stands beside them.

    left_out counts the runs of the plan's variants that do not count; without says which have no value of a measure,
    changed of which an output is not the file any more that was made, and poor which variants put out nothing, or
    always the same, as far as that was looked at. waiting is how many values wait to be worked out until no runs are
    being made here. usual are the measures that were taken since the plan asks for none. by_rig: machines are to stand
    beside each other.
    """

    values: Values
    first_runs_s: Mapping[str, Sequence[float]]
    left_out: int
    voided: tuple[RunRow, ...]
    made_of: Mapping[int, Provenance]
    rigs: Mapping[str, Mapping[str, Any]]
    without: tuple[Without, ...] = ()
    changed: tuple[int, ...] = ()
    poor: tuple[PoorOutputs, ...] = ()
    waiting: int = 0
    usual: tuple[WantedMeasure, ...] = ()
    by_rig: bool = False
    _ratios: dict[str, Mapping[tuple[int, str], Ratio]] = field(
        init=False, default_factory=dict, repr=False, compare=False
    )

    _where: dict[bytes, tuple[Whole, Whole, Whole, Whole]] = field(
        init=False, default_factory=dict, repr=False, compare=False
    )

    @property
    def plan(self) -> Plan:
        """The plan as it was when its latest runs were made."""
        return self.values.plan

    @property
    def held(self) -> HeldAgainst:
        return self.values.held

    @property
    def settings(self) -> RunSettings:
        return self.held.settings

    @property
    def runs(self) -> CountedRuns:
        return self.held.runs

    @property
    def reference(self) -> str:
        return self.held.reference

    @property
    def variants(self) -> tuple[VariantOnRecord, ...]:
        return self.runs.variants

    @property
    def pilot(self) -> int | None:
        """The rounds whose spread decided how many were made; None where the plan said how many."""
        schedule = self.plan.schedule
        return schedule.rounds if schedule.settle_to is not None else None

    @property
    def quality(self) -> str | None:
        """The score that a variant is judged by; of a program that gives several numbers the first."""
        asked, scores = self.plan.quality, self.values.score_names
        if asked is None or asked in scores:
            return asked
        return next((name for name in scores if self.values.asked_as(name) == asked), None)

    @property
    def memory(self) -> str:
        """The measure of memory to read: the model's own, where it is known of every variant, or all that is held."""
        finished = [runs for v in self.variants if np.any(runs := self.runs.of_variant(v.name) & self.runs.finished)]
        known = np.isfinite(self.values.of(MODEL_MEMORY))
        return MODEL_MEMORY if finished and all(np.any(known & runs) for runs in finished) else PEAK_MEMORY

    def margin(self, name: str) -> Margin:
        """Return by how much a measure may differ from the reference's and be the same."""
        return self.plan.margins.get(name, USUAL_MARGIN)

    def margin_share(self, name: str, these: Truths | None = None) -> float:
        """Return the margin of a measure as a share of what the reference has, of some of the runs or of all."""
        margin = self.margin(name)
        if not margin.is_absolute:
            return margin.value
        usual = self.runs.of_variant(self.reference)
        found = self.location(name, usual if these is None else usual & these)
        return margin.share_of(found.value if found is not None else None)

    def sample(self, name: str, these: Truths) -> Sample:
        """Return a measure of some of the runs, with what they are paired by."""
        return self._sample_of(self.values.of(name), these, self.unseen(name, these))

    def _sample_of(self, values: Floats, these: Truths, unseen: float = 0.0) -> Sample:
        return Sample(values[these], *self._made_where(these), unseen)

    def _made_where(self, these: Truths) -> tuple[Whole, Whole, Whole, Whole]:
        """Return round, launch, item and task of some of the runs: many measures are of the same ones."""
        key = np.packbits(these).tobytes()
        if key not in self._where:
            if len(self._where) >= MOST_HELD:
                self._where.clear()
            runs = self.runs
            self._where[key] = (
                small(runs.round_of_machine[these]), small(runs.launch[these]), small(runs.item[these]),
                small(runs.task_codes[these]),
            )  # fmt: skip
        return self._where[key]

    def unseen(self, name: str, these: Truths) -> float:
        """Return what a hand may add to a measure of these runs, as a share; 0 where none of them was timed by hand."""
        return hand_error(self.values, name, these)

    def location(self, name: str, these: Truths) -> Estimate | None:
        """Return where a measure of some of the runs lies, with its interval; None where it is known of none."""
        if name == COST_PER_GOOD and self.values.is_cost(name):
            return paid_for_good(self.sample(name, these), self.good(these), self.pilot)
        if self.values.is_cost(name):  # what is paid is the sum: a run that stalls is paid for as long as it does
            return location(self.sample(name, these), averaged=True, pilot=self.pilot, logs=False)
        place = score_location if self.values.is_score(name) else location
        return place(self.sample(name, these), self.values.is_averaged(name), self.pilot)

    def good(self, these: Truths) -> Sample:
        """Return of some of the runs which put out what the plan needs: 1 and 0, NaN where that is not known."""
        return self._sample_of(self.values.costs.good, these)

    def ratio_to_reference(self, name: str, variant: str) -> Ratio | None:
        """Return a variant's measure over the reference's, paired; None where nothing pairs, and for the reference."""
        if name not in self._ratios:
            parts = [np.ones(len(self.runs), bool)]
            self._ratios[name] = self.ratios_of(name, self.pairs_within(name, parts), parts)
        return self._ratios[name].get((0, variant))

    def ratios_of(
        self, name: str, pairs: Mapping[tuple[int, str], tuple[Sample, Sample]], parts: Sequence[Truths]
    ) -> Mapping[tuple[int, str], Ratio]:
        """Return each variant's measure over the reference's, from `pairs_within`: one table, that holds together."""
        if self.values.is_score(name):
            return score_ratios(pairs, self.pilot, self.values.is_averaged(name))
        if name == COST_PER_GOOD and self.values.is_cost(name):
            of_paid = ratios_of_sums(pairs, averaged=True, pilot=self.pilot)
            found = {key: self._ratio_for_good(ratio, parts[key[0]], key[1]) for key, ratio in of_paid.items()}
            return {key: ratio for key, ratio in found.items() if ratio is not None}
        if self.values.is_cost(name):
            return ratios_of_sums(pairs, averaged=True, pilot=self.pilot)
        return ratios_together(levels_between(pairs), self.pilot)

    def _ratio_for_good(self, of_paid: Ratio, part: Truths, variant: str) -> Ratio | None:
        ours, theirs = (self.good(part & self.runs.of_variant(name)) for name in (variant, self.reference))
        return ratio_for_good(of_paid, ours, theirs, self.pilot)

    def ratios_between(self, name: str, pairs: Mapping[str, tuple[str, str]]) -> Mapping[str, Ratio]:
        """Return one variant's measure over another's, of each of these pairs: one table, that holds together."""
        samples = {
            key: (self.sample(name, self.runs.of_variant(ours)), self.sample(name, self.runs.of_variant(theirs)))
            for key, (ours, theirs) in pairs.items()
        }
        return ratios_together(levels_between(samples), self.pilot)

    def pairs_within(self, name: str, parts: Sequence[Truths]) -> Mapping[tuple[int, str], tuple[Sample, Sample]]:
        """Return a measure of each variant and of the reference within each part of the runs, by part and variant."""
        pairs = {}
        for place, part in enumerate(parts):
            theirs = self.sample(name, part & self.runs.of_variant(self.reference))
            for variant in self.variants:
                if variant.name != self.reference:
                    pairs[place, variant.name] = self.sample(name, part & self.runs.of_variant(variant.name)), theirs
        return pairs

    def record(self, name: str, pair: tuple[Sample, Sample]) -> TaskRecord | None:
        """Return on how many tasks a score was better than the reference's, and worse, of a pair of `pairs_within`.

        None of what is no score, or has no way that is better; and of a likeness, which the reference has to itself.
        """
        better, values = self.values.measure(name).better, self.values
        if better is None or not values.is_score(name) or name in values.likeness_names:
            return None
        return task_record(*pair, more_is_better=better == MORE)
