"""Working out what a plan measures of the outputs: likenesses to the reference's of the same item, and qualities.

A step of its own, which commands that read call openly: what it finds is kept, under the definition that it was found
by. To know what a likeness means, the reference's own runs are held against each other too: against another run of the
same seed (as alike as it gets) and against another seed (as different as luck makes it). Between the two lies the drift
scale.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from time import monotonic
from typing import Any, ClassVar

import numpy as np

from unvek.core.errors import LogbookError
from unvek.core.evidence.counted_runs import CountedRuns, Whole
from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.measurements import WANTS_NOTHING, Measurements, Without
from unvek.core.evidence.outputs.source import OutputError, Source
from unvek.core.evidence.outputs.sources import SOURCES, changed_outputs
from unvek.core.evidence.partners import partners
from unvek.core.evidence.poor_outputs import poor_outputs
from unvek.core.logbook.rows import DefinitionRow
from unvek.core.logbook.store import Logbook, Measurement
from unvek.core.measures.definition import WORKED_OUT, Definition
from unvek.core.measures.kinds import NUMBERS, OUTPUT, WANTED, Kind
from unvek.core.plan.digests import DigestCache
from unvek.core.plan.model import WantedMeasure

ALONE = 0  # in the place of the run that an output is held against
TOLD_EVERY_S = 2.0
MOST_LOOKED_AT = 5000  # outputs that are held against their digests whenever results are read; an audit looks at all
LONGEST_REASON = 200  # characters
NOT_TOLD, NO_PARTNER = "the model's side told no such number", "the reference made nothing to hold it against"
BROUGHT = "it was brought in without its outputs"


@dataclass(frozen=True, slots=True, kw_only=True)
class RunWithout:
    """A run of which a measure has no value, and why."""

    run: int
    why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class MeasureWorkedOut:
    """How much is known of a measure: of how many runs it has a value, and of which it has none."""

    name: str
    kind: str
    value_count: int
    without: tuple[RunWithout, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Measuring:
    """What came of working out: how many values were worked out now, how many were known before."""

    kind: ClassVar[str] = "measuring"
    title: str
    worked_out: int
    known: int
    rows: tuple[MeasureWorkedOut, ...]


@dataclass(frozen=True, slots=True)
class Pair:
    """What is to be worked out: a measure of a run's output, held against another's, by a definition."""

    measure: WantedMeasure
    definition: Definition
    run: int
    against: int


def work_out(
    logbook: Logbook, evidence: Evidence, tell: Callable[[str], None] | None = None
) -> tuple[Evidence, Measuring]:
    """Work out everything that the plan asks for and that is not known yet, keep it, and return the evidence with it.

    Runs with the same outputs are worked out once. What can't be worked out is kept with the reason, unless that may
    pass: a file that was changed or is gone may be put back. tell: hears now and then how far a long working out is.
    """
    asked = [measure for measure in evidence.plan.worked_out if measure.of_kind.of != NUMBERS]
    missing, known = _missing(evidence, asked)
    found = list(_found(_Worker(logbook), missing, tell)) if missing else []
    try:
        if lasting := [measurement for measurement, lasts in found if lasts]:
            logbook.keep_measurements(lasting)
    except LogbookError:
        pass  # a logbook that may only be read serves as well; the work is then done again next time
    evidence = _with(evidence, found)
    with DigestCache() as digests:
        runs = set(evidence.runs.number.tolist())
        changed = changed_outputs(logbook, runs, digests, MOST_LOOKED_AT)
    evidence = replace(evidence, without=tuple(_without(logbook, evidence, found)), changed=tuple(changed),
                       poor=poor_outputs(logbook, evidence, MOST_LOOKED_AT))  # fmt: skip
    return evidence, Measuring(
        title=evidence.plan.title, worked_out=sum(m.value is not None for m, _ in found), known=known,
        rows=tuple(_row(evidence, measure) for measure in evidence.plan.measures),
    )  # fmt: skip


def _missing(evidence: Evidence, asked: list[WantedMeasure]) -> tuple[list[Pair], int]:
    """Return what has not been worked out yet by the definition that goes with it, and how much has been."""
    if not asked:
        return [], 0
    pairs = {is_likeness: partners(evidence.held) if is_likeness else _alone(evidence.runs)
             for is_likeness in {measure.of_kind.is_likeness for measure in asked}}  # fmt: skip
    tasks = dict(zip(evidence.runs.number.tolist(), evidence.runs.rows.column("task"), strict=True))
    missing, known = [], 0
    for measure in asked:
        by_digest = _known_by_digest(evidence, measure.name)
        definitions = {task: evidence.values.names.definition(measure.name, task) for task in set(tasks.values())}
        digests = {task: definition.digest for task, definition in definitions.items()}
        for run, against in zip(*(column.tolist() for column in pairs[measure.of_kind.is_likeness]), strict=True):
            task = tasks[run]
            if (run, against) in by_digest.get(digests[task], ()):
                known += 1
            else:
                missing.append(Pair(measure, definitions[task], run, against))
    return missing, known


def _known_by_digest(evidence: Evidence, name: str) -> dict[str, set[tuple[int, int]]]:
    """Return by definition the (run, run held against) of which a measure of this name is known, or why it is not."""
    found: dict[str, set[tuple[int, int]]] = {}
    measured = evidence.values.measured
    for number, row in evidence.values.definitions.items():
        if row.name == name:
            these = measured.definitions == number
            pairs = zip(measured.runs[these].tolist(), measured.against[these].tolist(), strict=True)
            found.setdefault(row.digest, set()).update(pairs)
    return found


def _alone(runs: CountedRuns) -> tuple[Whole, Whole]:
    """Every finished run that was made here, held against none."""
    numbers = runs.number[runs.finished & runs.made_here]
    return numbers, np.full(len(numbers), ALONE)


def _found(
    worker: "_Worker", missing: list[Pair], tell: Callable[[str], None] | None
) -> Iterator[tuple[Measurement, bool]]:
    """Yield each value, or the reason why there is none, and whether that lasts."""
    told_s = monotonic()
    for count, pair in enumerate(missing, 1):
        value, why, lasts = worker.work_out(pair)
        yield Measurement(
            run=pair.run, name=pair.measure.name, origin=WORKED_OUT, definition=pair.definition, against=pair.against,
            value=value, why=why,
        ), lasts  # fmt: skip
        if tell is not None and monotonic() - told_s > TOLD_EVERY_S:
            tell(f"{count} of {len(missing)} measures of outputs worked out...")
            told_s = monotonic()


class _Worker:
    """Works values out, each pair of outputs once by each definition."""

    def __init__(self, logbook: Logbook):
        self._logbook = logbook
        self._sources: dict[tuple[str, str | None], Source] = {}
        self._values: dict[tuple[Any, ...], tuple[float | None, str | None]] = {}

    def work_out(self, pair: Pair) -> tuple[float | None, str | None, bool]:
        """Return (value, why there is none, whether that lasts)."""
        kind, definition = pair.measure.of_kind, pair.definition
        if kind.against == WANTED and kind.wants_any and not definition.wanted:
            return None, WANTS_NOTHING, True
        which = (kind.of, definition.options.get(OUTPUT))
        if which not in self._sources:
            self._sources[which] = SOURCES[kind.of](self._logbook, which[1])
        source = self._sources[which]
        runs = (pair.run, pair.against) if kind.is_likeness else (pair.run,)
        try:
            key = (definition.digest, *map(source.digest, runs))
            if key not in self._values:
                self._values[key] = self._value(kind, source, runs, definition)
        except OutputError as error:
            return None, str(error), error.lasts
        return *self._values[key], True

    @staticmethod
    def _value(
        kind: Kind, source: Source, runs: tuple[int, ...], definition: Definition
    ) -> tuple[float | None, str | None]:
        ours, *theirs = (_content(source, run, run != runs[0]) for run in runs)
        try:
            arguments = source.arguments(kind, ours, theirs[0] if theirs else None, definition.wanted)
            value = kind.work_out(*arguments, options=definition.options)
        except ValueError as error:  # two sizes, or too small for this measure
            return None, str(error)[:LONGEST_REASON]
        return (value, None) if np.isfinite(value) else (None, f"it came to {value}, which is no number")


def _content(source: Source, run: int, is_reference: bool) -> Any:
    try:
        return source.content(run)
    except OutputError as error:
        if not is_reference:
            raise
        raise OutputError(f"held against run {run}, of which {error}", error.lasts) from error


def _with(evidence: Evidence, found: list[tuple[Measurement, bool]]) -> Evidence:
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


def _without(logbook: Logbook, evidence: Evidence, found: list[tuple[Measurement, bool]]) -> Iterator[Without]:
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
        if shown is None or row.run not in tasks or not shown.of_task(tasks[row.run]):
            continue
        if (shown.measure.name, row.run, row.against) not in now:
            yield Without(name=shown.measure.name, run=row.run, why=row.why or "", lasts=True)


def _row(evidence: Evidence, measure: WantedMeasure) -> MeasureWorkedOut:
    values = evidence.values.of(measure.name)
    numbers = set(evidence.runs.number[evidence.runs.finished & ~np.isfinite(values)].tolist())
    reasons = {one.run: one.why for one in evidence.without if one.name == measure.name}
    here = set(evidence.runs.number[evidence.runs.made_here].tolist())
    unknown = NOT_TOLD if measure.of_kind.of == NUMBERS else NO_PARTNER
    without = ((run, reasons.get(run, unknown if run in here else BROUGHT)) for run in sorted(numbers))
    return MeasureWorkedOut(
        name=measure.name,
        kind=measure.kind,
        value_count=int(np.count_nonzero(np.isfinite(values))),
        without=tuple(RunWithout(run=run, why=why) for run, why in without),
    )
