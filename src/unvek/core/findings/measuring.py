"""Working out what a plan measures of the outputs: likenesses to the reference's of the same item, and qualities.

To know what a likeness means, the reference's own runs are held against each other too: against another run of the
same seed (as alike as it gets) and against another seed (as different as luck makes it). Between the two lies the
drift scale.
"""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from unvek.core.errors import LogbookError
from unvek.core.findings.evidence import Evidence
from unvek.core.findings.kept_outputs import ScoresFound, Source, source_of
from unvek.core.findings.partners import Whole, partners
from unvek.core.logbook.store import Logbook, Measured
from unvek.core.measures.catalogue import KINDS, SCORES, Kind, kind_function

ALONE = 0  # in the place of the run that an output is held against


def with_measures(logbook: Logbook, evidence: Evidence) -> Evidence:
    """Return the evidence with everything that the plan asks for; what had to be worked out is kept.

    Runs with the same outputs are worked out once. What can't be worked out (another size, a damaged file, no such
    output) is kept with no value.
    """
    wanted = [(m["name"], KINDS[m["kind"]]) for m in evidence.plan.content["measures"]]
    if not wanted:
        return evidence
    pairs = {is_likeness: (partners if is_likeness else _alone)(evidence)
             for is_likeness in {kind.is_likeness for _, kind in wanted}}  # fmt: skip
    missing = [
        (run, against, name, kind)
        for name, kind in wanted
        for run, against in _unknown(evidence, name, *pairs[kind.is_likeness])
    ]
    if not missing:
        return evidence
    worker = Worker(logbook, evidence)
    worked_out = [
        Measured(run=run, name=name, against=against, value=worker.value(kind, run, against), unit=kind.unit)
        for run, against, name, kind in missing
    ]
    try:
        logbook.add_measures(worked_out)
    except LogbookError:
        pass  # a logbook that may only be read serves as well; the work is then done again next time
    return replace(evidence, measured=(*evidence.measured, *worked_out))


class Worker:
    """Works values out, each pair of outputs once."""

    def __init__(self, logbook: Logbook, evidence: Evidence):
        self._logbook = logbook
        self._wanted = {task["name"]: tuple(task.get("wanted", ())) for task in evidence.plan.content["tasks"]}
        self._tasks: Mapping[int, str] = dict(
            zip(evidence.rows.column("number"), evidence.rows.column("task"), strict=True)
        )
        self._sources: dict[str, Source] = {}
        self._values: dict[tuple[Any, ...], float | None] = {}

    def value(self, kind: Kind, run: int, against: int) -> float | None:
        """Return a kind's value of a run's output, held against another's for a likeness; None where there is none."""
        if kind.of not in self._sources:
            self._sources[kind.of] = source_of(kind.of, self._logbook)
        source = self._sources[kind.of]
        wanted = () if kind.is_likeness or kind.of == SCORES else self._wanted[self._tasks[run]]
        digests = tuple(source.digest(number) for number in ((run, against) if kind.is_likeness else (run,)))
        if None in digests:
            return None
        key = (kind.name, *digests, wanted)
        if key not in self._values:
            self._values[key] = _worked_out(kind, source, run, against, wanted)
        return self._values[key]


def _worked_out(kind: Kind, source: Source, run: int, against: int, wanted: Sequence[str]) -> float | None:
    function = kind_function(kind.name)
    ours = source.content(run)
    theirs = source.content(against) if kind.is_likeness else None
    if ours is None or (kind.is_likeness and theirs is None):
        return None
    try:
        if isinstance(ours, ScoresFound) and isinstance(theirs, ScoresFound):
            return function(theirs.log_probabilities, ours.log_probabilities)
        if isinstance(ours, ScoresFound):
            return function(ours.log_probabilities, ours.tokens)
        return function(ours, theirs if kind.is_likeness else wanted)
    except ValueError:
        return None  # two sizes, too small for this measure, or nothing wanted


def _alone(evidence: Evidence) -> tuple[Whole, Whole]:
    """Every finished run, held against none."""
    numbers = evidence.rows.whole_numbers("number")[evidence.finished]
    return numbers, np.full(len(numbers), ALONE)


def _unknown(evidence: Evidence, name: str, runs: Whole, against: Whole) -> list[tuple[int, int]]:
    """The pairs of a measure that have not been worked out yet."""
    known = {(m.run, m.against) for m in evidence.measured if m.name == name}
    pairs = zip(runs.tolist(), against.tolist(), strict=True)
    return [pair for pair in pairs if pair not in known]
