"""Working out what a plan measures of the outputs: likenesses to the reference's of the same item, and qualities.

What is found is kept as it comes, under the definition that it was found by: killed on the way, the rest is worked out
next time. It is never done while runs are being made on this machine, which it would disturb.
"""

from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack, closing
from dataclasses import dataclass, field, replace
from time import monotonic
from typing import NamedTuple

import numpy as np

from unvek.core.errors import LogbookError, MachineBusyError
from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.measurements import Measurements, Without
from unvek.core.evidence.outputs.source import KeptOutputs
from unvek.core.evidence.outputs.sources import changed_outputs
from unvek.core.evidence.poor_outputs import poor_outputs
from unvek.core.logbook.rows import DefinitionRow
from unvek.core.logbook.store import Logbook, Measurement
from unvek.core.measures.kind import FILES, NUMBERS, TEXTS, VERDICTS
from unvek.core.measures.points import NOT_JUDGED
from unvek.core.plan.digests import DigestCache
from unvek.core.plan.model import WantedMeasure
from unvek.core.run.machine_lock import MEASURING, Holder, held_machine
from unvek.core.session.measuring.found import MeasureWorkedOut, Measuring, RunWithout
from unvek.core.session.measuring.wanted import (
    Asked,
    Pair,
    Wanted,
    asked_measures,
    asked_pairs,
    find_wanted,
    measurement_of,
)

KEPT_EVERY_S = 2.0
MOST_LOOKED_AT = 5000  # outputs that are held against their digests whenever results are read; an audit looks at all
NOT_TOLD, NO_PARTNER = "the model's side told no such number", "the reference made nothing to hold it against"
BROUGHT, NOT_YET = "it was brought in without its outputs", "not worked out yet"
NO_SUCH_NUMBER = "its program gave no number under this name"

Found = tuple[Measurement, bool]  # and whether that it has no value lasts


@dataclass(frozen=True, slots=True, kw_only=True)
class Manner:
    """How a caller wants values to be worked out.

    progress hears how many are done, of how many. again: also what came to no value before. While runs are being made
    what is missing waits, unless it `insists`: that is an error then, or a waiting where it `waits`; on_wait hears for
    whom. holds_machine: it is the caller that makes runs here, and none now.
    """

    progress: Callable[[int, int], None] | None = None
    again: bool = False
    insists: bool = False
    waits: bool = False
    on_wait: Callable[[Holder], None] | None = None
    holds_machine: bool = False


AS_RESULTS_ARE_READ = Manner()


class Worked(NamedTuple):
    """The evidence with what was worked out, how many values that was, were known before, and have to wait."""

    evidence: Evidence
    worked_out: int
    known: int
    waiting: int


def work_out(logbook: Logbook, evidence: Evidence, manner: Manner = AS_RESULTS_ARE_READ) -> Worked:
    """Work out everything that the plan asks for and that is not known yet, keep it, and return the evidence with it.

    Outputs that are the same are worked out once. What can't be worked out is kept with the reason, unless that may
    pass: a file that was changed or is gone may be put back. Raises MachineBusyError where the manner insists.
    """
    bench = _Bench(logbook, manner)
    evidence, wanted, waiting = bench.work_out(evidence, None)
    with DigestCache() as digests:
        runs = set(evidence.runs.number.tolist())
        changed = changed_outputs(logbook, runs, digests, MOST_LOOKED_AT)
    evidence = replace(
        evidence, without=tuple(_without(logbook, evidence, bench.found)), changed=tuple(changed),
        poor=poor_outputs(logbook, evidence, MOST_LOOKED_AT), waiting=waiting,
    )  # fmt: skip
    return Worked(evidence, sum(one.value is not None for one, _ in bench.found), wanted.known, waiting)


def work_out_more(logbook: Logbook, evidence: Evidence, asked: Sequence[Asked], manner: Manner) -> Evidence:
    """Work out a measure of other pairs than those that the plan asks for, keep it, and return the evidence with it."""
    evidence, _, waiting = _Bench(logbook, manner).work_out(evidence, asked)
    return replace(evidence, waiting=evidence.waiting + waiting)


def measuring_of(worked: Worked) -> Measuring:
    """Return what is said of a working out."""
    evidence = worked.evidence
    return Measuring(
        title=evidence.plan.title, worked_out=worked.worked_out, known=worked.known, waiting=worked.waiting,
        rows=tuple(_rows(evidence, worked.waiting > 0)),
    )  # fmt: skip


@dataclass
class _Bench:
    """Where values are worked out: the machine held for it, and what is found kept every now and then."""

    logbook: Logbook
    manner: Manner
    found: list[Found] = field(default_factory=list)
    _kept: int = 0  # how many of those found are safe
    _has_waited: bool = False

    def work_out(self, evidence: Evidence, asked: Sequence[Asked] | None) -> tuple[Evidence, Wanted, int]:
        """Do what is wanted, with the machine held: what is asked, or what the plan asks.

        Return the evidence with it, what was wanted, and how many values have to wait, since that can't be.
        """
        wanted = self._find(evidence, asked)
        with ExitStack() as stack:
            if wanted.jobs and not self._holds_machine(stack):
                return evidence, wanted, wanted.count
            if self._has_waited:  # for somebody who may have worked out the same
                evidence = _read_again(self.logbook, evidence)
                wanted = self._find(evidence, asked)
            self._take_settled(wanted)
            if wanted.jobs:
                self._do(wanted)
            else:
                self._keep()
        return _with(evidence, self.found), wanted, 0

    def _find(self, evidence: Evidence, asked: Sequence[Asked] | None) -> Wanted:
        measures = asked_measures(evidence) if asked is None else [measure for measure, _ in asked]
        with_texts = any(measure.of in (TEXTS, FILES) for measure in measures)
        return find_wanted(evidence, lambda: KeptOutputs.of(self.logbook, with_texts), self.manner.again, asked)

    def _holds_machine(self, stack: ExitStack) -> bool:
        """Hold the machine, if no runs are being made on it."""
        manner = self.manner
        if manner.holds_machine:
            return True
        try:
            stack.enter_context(
                held_machine("measuring of outputs", manner.waits, self._hear_who_is_waited_for, doing=MEASURING)
            )
        except MachineBusyError:
            if manner.insists:
                raise
            return False
        except LogbookError:
            pass  # a lock that can't be opened keeps nobody from reading results
        return True

    def _hear_who_is_waited_for(self, who: Holder) -> None:
        self._has_waited = True
        if self.manner.on_wait is not None:
            self.manner.on_wait(who)

    def _take_settled(self, wanted: Wanted) -> None:
        self.found += [(measurement_of(pair, outcome), outcome.lasts) for pair, outcome in wanted.settled]

    def _do(self, wanted: Wanted) -> None:
        from unvek.core.session.measuring.crew import worked_out  # what it takes is slow to come

        assert wanted.kept is not None, "there are jobs"
        done, kept_at_s = len(wanted.settled), monotonic()
        ordered = wanted.in_good_order
        try:
            # Closed here, whatever is raised: what is still being worked out is then given up at once.
            with closing(worked_out([job for job, _ in ordered], wanted.kept)) as found:
                for place, outcomes in found:
                    pairs: Sequence[Pair] = ordered[place][1]
                    self.found += [(measurement_of(pair, one), one.lasts) for pair in pairs for one in outcomes]
                    done += len(pairs)
                    if self.manner.progress is not None:
                        self.manner.progress(done, wanted.count)
                    if monotonic() - kept_at_s > KEPT_EVERY_S:
                        self._keep()
                        kept_at_s = monotonic()
        finally:
            self._keep()

    def _keep(self) -> None:
        lasting = [measurement for measurement, lasts in self.found[self._kept :] if lasts]
        try:
            if lasting:
                self.logbook.keep_measurements(lasting, anew=self.manner.again)
            self._kept = len(self.found)
        except LogbookError:
            pass  # a logbook that may only be read serves as well; the work is then done again next time


def _read_again(logbook: Logbook, evidence: Evidence) -> Evidence:
    """Return the evidence with what is measured by now."""
    measured, definitions = Measurements.of(*logbook.measured()), logbook.definitions()
    return replace(evidence, values=replace(evidence.values, measured=measured, definitions=definitions))


def _with(evidence: Evidence, found: Sequence[Found]) -> Evidence:
    """Return the evidence with these measurements, under numbers of definitions that hold here only."""
    if not found:
        return evidence
    definitions = dict(evidence.values.definitions)
    numbers = {(row.name, row.digest, row.origin): number for number, row in definitions.items()}
    of_found = []
    for measurement, _ in found:
        key = (measurement.name, measurement.definition.digest, measurement.origin)
        if key not in numbers:
            numbers[key] = max(definitions, default=0) + 1
            definitions[numbers[key]] = DefinitionRow(
                number=numbers[key], digest=key[1], name=key[0], origin=key[2], content=measurement.definition
            )
        of_found.append(numbers[key])
    more = Measurements.of(
        [m.run for m, _ in found], of_found, [m.against for m, _ in found], [m.value for m, _ in found]
    )
    values = replace(evidence.values, measured=evidence.values.measured.and_also(more), definitions=definitions)
    return replace(evidence, values=values)


def _without(logbook: Logbook, evidence: Evidence, found: Sequence[Found]) -> Iterator[Without]:
    """Yield of the runs that count which measures have no value, and why: as kept before, and as found now."""
    before = logbook.without_value()
    if not (before or found):
        return
    tasks = dict(zip(evidence.runs.number.tolist(), evidence.runs.rows.column("task"), strict=True))
    now = {(m.name, m.run, m.against) for m, _ in found}
    for measurement, lasts in found:
        if measurement.why is not None:
            yield Without(name=measurement.name, run=measurement.run, why=measurement.why, lasts=lasts)
    for row in before:
        shown = evidence.values.names[row.definition]
        if row.why is None or shown is None or row.run not in tasks or not shown.of_task(tasks[row.run]):
            continue
        if (shown.measure.name, row.run, row.against) not in now:
            yield Without(name=shown.measure.name, run=row.run, why=row.why, lasts=True)


def _rows(evidence: Evidence, is_held_up: bool) -> Iterator[MeasureWorkedOut]:
    """Yield how much is known of each measure; where a program gives several numbers, of each of these."""
    pairs, runs = asked_pairs(evidence), evidence.runs
    here = set(runs.number[runs.made_here].tolist())
    has_partner = here
    for measure in evidence.plan.measures:
        if measure.is_likeness and measure.against in pairs:
            ours, theirs = pairs[measure.against]
            is_same = runs.seed[runs.places_of(ours)] == runs.seed[runs.places_of(theirs)]
            has_partner = set(ours[is_same].tolist())
        for name in evidence.values.given_by(measure):
            yield _row(evidence, measure, name, here, has_partner, is_held_up)


def _row(
    evidence: Evidence, measure: WantedMeasure, name: str, here: set[int], has_partner: set[int], is_held_up: bool
) -> MeasureWorkedOut:
    values = evidence.values.of(name)
    numbers = sorted(set(evidence.runs.number[evidence.runs.finished & ~np.isfinite(values)].tolist()))
    reasons = {one.run: one.why for one in evidence.without if one.name == measure.name}
    reasons |= {one.run: one.why for one in evidence.without if one.name == name}

    def reason(run: int) -> str:
        if run in reasons:
            return reasons[run]
        if run not in here:
            return BROUGHT
        if measure.of == NUMBERS:
            return NOT_TOLD
        if measure.of == VERDICTS:
            return NOT_JUDGED
        if is_held_up:
            return NOT_YET
        return NO_SUCH_NUMBER if measure.of_kind.asks and run in has_partner else NO_PARTNER

    return MeasureWorkedOut(
        name=name, kind=measure.kind, value_count=int(np.count_nonzero(np.isfinite(values))),
        without=tuple(RunWithout(run=run, why=reason(run)) for run in numbers),
    )  # fmt: skip
