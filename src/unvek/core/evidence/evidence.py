"""What findings rest on: the newest plan's runs that count, what is known of them, and how that is put in figures."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from unvek.core.evidence.counted_runs import CountedRuns, Truths, VariantOnRecord
from unvek.core.evidence.held import HeldAgainst
from unvek.core.evidence.measurements import Without
from unvek.core.evidence.settings import RunSettings
from unvek.core.evidence.values import Values
from unvek.core.logbook.rows import RunRow
from unvek.core.plan.model import Plan
from unvek.core.run.events.record import Provenance
from unvek.core.stats.items import score_location, score_ratio
from unvek.core.stats.launches import Ratio, Sample, location, paired_ratio
from unvek.core.stats.student import Estimate


@dataclass(frozen=True, slots=True, kw_only=True)
class Evidence:
    """The runs that count, with their measures' values, and what stands beside them.

    left_out counts the runs of the plan's variants that do not count; without says which have no value of a measure,
    changed of which an output is not the file any more that was made, as far as that was looked at.
    """

    values: Values
    first_runs_s: Mapping[str, Sequence[float]]
    left_out: int
    voided: tuple[RunRow, ...]
    made_of: Mapping[int, Provenance]
    rigs: Mapping[str, Mapping[str, Any]]
    without: tuple[Without, ...] = ()
    changed: tuple[int, ...] = ()

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

    def sample(self, name: str, these: Truths) -> Sample:
        """Return a measure of some of the runs, with what they are paired by."""
        runs = self.runs
        return Sample(self.values.of(name)[these], runs.round[these], runs.launch[these], runs.item[these])

    def location(self, name: str, these: Truths) -> Estimate | None:
        """Return where a measure of some of the runs lies, with its interval; None where it is known of none."""
        place = score_location if self.values.is_score(name) else location
        return place(self.sample(name, these), self.values.measure(name).averaged, self.pilot)

    def ratio(self, name: str, ours: Truths, theirs: Truths) -> Ratio | None:
        """Return a measure of some of the runs over that of others, paired; None where nothing pairs."""
        over = score_ratio if self.values.is_score(name) else paired_ratio
        return over(self.sample(name, ours), self.sample(name, theirs), self.pilot)

    def ratio_to_reference(self, name: str, variant: str) -> Ratio | None:
        """Return a variant's measure over the reference's; None for the reference itself."""
        if variant == self.reference:
            return None
        return self.ratio(name, self.runs.of_variant(variant), self.runs.of_variant(self.reference))
