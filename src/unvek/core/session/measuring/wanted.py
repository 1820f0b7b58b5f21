"""Which values a plan asks for that are not known yet, each pair of outputs once by each definition."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np

from unvek.core.evidence.counted_runs import CountedRuns, Truths, Whole
from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.measurements import EXPECTS_NOTHING, ONE_SEED, WANTS_NOTHING
from unvek.core.evidence.outputs.files import Files
from unvek.core.evidence.outputs.source import KeptOutputs, OutputError, Source
from unvek.core.evidence.outputs.sources import SOURCES
from unvek.core.evidence.partners import other_seeds, partners
from unvek.core.logbook.rows import OutputRow, RunRow
from unvek.core.logbook.store import Measurement
from unvek.core.measures.definition import PROGRAM, WORKED_OUT, Definition
from unvek.core.measures.kind import NUMBERS, OTHER_SEEDS, REFERENCE, VERDICTS, WANTED
from unvek.core.measures.kinds import KINDS, OUTPUT
from unvek.core.plan.model import WantedMeasure
from unvek.core.session.measuring.plan_now import plan_file

ALONE = 0  # in the place of the run that an output is held against
Key = tuple[Any, ...]


@dataclass(frozen=True, slots=True)
class Pair:
    """What is to be worked out: a measure of a run's output, held against another's, by a definition."""

    measure: WantedMeasure
    definition: Definition
    run: int
    against: int

    @property
    def runs(self) -> tuple[int, ...]:
        return (self.run,) if self.against == ALONE else (self.run, self.against)


@dataclass(frozen=True, slots=True)
class Outcome:
    """A value under a name, or why there is none. `lasts` says whether that will stay so: a file may come back."""

    name: str
    value: float | None
    why: str | None = None
    lasts: bool = True


@dataclass(frozen=True, slots=True)
class Job:
    """One working out: of a pair of outputs, for all the pairs of runs that made these very outputs."""

    kind: str
    name: str
    definition: Definition
    runs: tuple[int, ...]
    folder: Path  # the plan's
    values: Mapping[str, str]  # of the placeholders of a command


@dataclass
class Wanted:
    """What there is to do: jobs, each with the pairs that its outcome is for."""

    jobs: list[tuple[Job, list[Pair]]] = field(default_factory=list)
    settled: list[tuple[Pair, Outcome]] = field(default_factory=list)  # without any working out
    kept: KeptOutputs | None = None  # the outputs that the jobs are of
    known: int = 0

    @property
    def count(self) -> int:
        return len(self.settled) + sum(len(pairs) for _, pairs in self.jobs)

    @property
    def in_good_order(self) -> list[tuple[Job, list[Pair]]]:
        """The jobs so that those that are held against the same output follow each other: it is then read once."""
        return sorted(self.jobs, key=lambda one: (KINDS[one[0].kind].asks, one[0].name, one[0].runs[::-1]))


def measurement_of(pair: Pair, outcome: Outcome) -> Measurement:
    return Measurement(
        run=pair.run, name=outcome.name, origin=PROGRAM if pair.measure.of_kind.asks else WORKED_OUT,
        definition=pair.definition, against=pair.against, value=outcome.value, why=outcome.why,
    )  # fmt: skip


def asked_measures(evidence: Evidence) -> list[WantedMeasure]:
    """Return the measures that can be worked out here: neither told by a model's side nor said by a judge."""
    return [measure for measure in evidence.plan.worked_out if measure.of not in (NUMBERS, VERDICTS)]


Pairs = tuple[Whole, Whole]  # (pairs,) numbers of runs, and of those that each is held against, or 0
Asked = tuple[WantedMeasure, Pairs]


def find_wanted(
    evidence: Evidence,
    read_kept: Callable[[], KeptOutputs],
    again: bool = False,
    asked: Sequence[Asked] | None = None,
) -> Wanted:
    """Return what has not been worked out yet by the definition that goes with it.

    read_kept: reads the outputs. again: what came to no value before is wanted too. asked: measures, and of which
    pairs; the plan's own if None.
    """
    if asked is None:
        pairs = asked_pairs(evidence)
        asked = [(measure, pairs[measure.against]) for measure in asked_measures(evidence)]
    finder = _Finder(evidence, read_kept)
    wanted = finder.find(asked, again)
    if wanted.jobs:
        wanted.kept = finder.kept
    return wanted


def asked_pairs(evidence: Evidence) -> dict[str, Pairs]:
    """Return by what outputs are held against the pairs of runs."""
    wanted = {measure.against for measure in asked_measures(evidence)}
    return {against: _pairs_against(evidence, against) for against in wanted}


def _pairs_against(evidence: Evidence, against: str) -> Pairs:
    if against == REFERENCE:
        return partners(evidence.held)
    return other_seeds(evidence.runs) if against == OTHER_SEEDS else _alone(evidence.runs)


def _alone(runs: CountedRuns) -> Pairs:
    """Every finished run that was made here, held against none."""
    numbers = runs.number[runs.finished & runs.made_here]
    return numbers, np.full(len(numbers), ALONE)


class _Finder:
    def __init__(self, evidence: Evidence, read_kept: Callable[[], KeptOutputs]):
        self._evidence, self._read_kept = evidence, read_kept
        self._sources: dict[tuple[str, str | None], Source] = {}
        self._tasks = evidence.settings.tasks

    @cached_property
    def kept(self) -> KeptOutputs:
        """The outputs, which are read only where something is missing."""
        return self._read_kept()

    @cached_property
    def _folder(self) -> Path:
        plan = plan_file(self.kept.place, self._evidence.plan)
        return plan.parent if plan is not None else self._evidence.plan.folder

    def find(self, asked: Sequence[Asked], again: bool) -> Wanted:
        wanted = Wanted()
        for measure, (runs, against) in asked:
            is_known = self._known(measure, runs, against, again)
            wanted.known += int(np.count_nonzero(is_known))
            if not np.all(is_known):
                missing, known = (self._pairs(measure, runs[these], against[these]) for these in (~is_known, is_known))
                self._sort_out(measure, missing, known, wanted)
        return wanted

    def _known(self, measure: WantedMeasure, runs: Whole, against: Whole, again: bool) -> Truths:
        """Return of which pairs a value is known by the definition that goes with it, or why there is none."""
        known = _known_by_digest(self._evidence, measure.name, again)
        keys, codes = _pair_keys(runs, against), self._task_codes(runs)
        found = np.zeros(len(runs), bool)
        for digest, of_tasks in self._by_definition(measure, codes).items():
            found |= of_tasks & np.isin(keys, known.get(digest, np.zeros(0, np.int64)))
        return found

    def _by_definition(self, measure: WantedMeasure, codes: Whole) -> dict[str, Truths]:
        """Return which pairs are of tasks with each definition, by its digest."""
        names = self._evidence.values.names
        tasks = self._evidence.runs.rows.coded("task").values
        found: dict[str, Truths] = {}
        for code in np.unique(codes).tolist():
            digest = names.definition(measure.name, tasks[code]).digest
            found[digest] = found.get(digest, np.zeros(len(codes), bool)) | (codes == code)
        return found

    def _task_codes(self, runs: Whole) -> Whole:
        return self._evidence.runs.task_codes[self._evidence.runs.places_of(runs)]

    def _pairs(self, measure: WantedMeasure, runs: Whole, against: Whole) -> list[Pair]:
        names, tasks = self._evidence.values.names, self._evidence.runs.rows.coded("task").values
        definitions = {code: names.definition(measure.name, task) for code, task in enumerate(tasks)}
        columns = (self._task_codes(runs).tolist(), runs.tolist(), against.tolist())
        return [Pair(measure, definitions[code], run, other) for code, run, other in zip(*columns, strict=True)]

    def _row(self, run: int) -> RunRow:
        (place,) = self._evidence.runs.places_of(np.array([run])).tolist()
        row: RunRow = self._evidence.runs.rows[place]
        return row

    def _sort_out(self, measure: WantedMeasure, missing: list[Pair], known: list[Pair], wanted: Wanted) -> None:
        """Put pairs that were made of the same together, and settle those whose outputs are known from others."""
        before = self._known_outcomes(measure, known)
        jobs: dict[Key, list[Pair]] = {}
        for pair in missing:
            if (nothing := self._nothing_to_do(pair)) is not None:
                wanted.settled.append((pair, nothing))
                continue
            try:
                key = self._key(pair)
            except OutputError as error:
                wanted.settled.append((pair, Outcome(measure.name, None, str(error), error.lasts)))
                continue
            if key in before:
                wanted.settled += [(pair, outcome) for outcome in before[key]]
            else:
                jobs.setdefault(key, []).append(pair)
        wanted.jobs += [(self._job(pairs[0]), pairs) for pairs in jobs.values()]

    @staticmethod
    def _nothing_to_do(pair: Pair) -> Outcome | None:
        kind = pair.measure.of_kind
        if kind.against == WANTED and kind.wants_any and not pair.definition.wanted:
            return Outcome(pair.measure.name, None, WANTS_NOTHING)
        if pair.measure.gives_points and not pair.definition.wanted:
            return Outcome(pair.measure.name, None, EXPECTS_NOTHING)
        if kind.against == OTHER_SEEDS and pair.against == ALONE:
            return Outcome(pair.measure.name, None, ONE_SEED)
        return None

    def _key(self, pair: Pair) -> Key:
        """Return what decides a value: the definition, the outputs, and what else a program is told."""
        source = self._source(pair.measure)
        key: Key = (pair.definition.digest, *map(source.digest, pair.runs))
        if pair.measure.of_kind.asks:
            key = (*key, *sorted(self._placeholders(pair).items()))
            if isinstance(source, Files) and _takes_all(pair.measure):
                key = (*key, source.digest_of_all(pair.run))
        return key

    def _known_outcomes(self, measure: WantedMeasure, known: Sequence[Pair]) -> dict[Key, list[Outcome]]:
        """Return what is known of outputs that other runs made too."""
        values: dict[tuple[str, int, int], list[Outcome]] = {}
        measured, names = self._evidence.values.measured, self._evidence.values.names
        for number, row in self._evidence.values.definitions.items():
            if names.parent(row) != measure.name:
                continue
            these = measured.definitions == number
            columns = (measured.runs[these].tolist(), measured.against[these].tolist(), measured.values[these].tolist())
            for run, against, value in zip(*columns, strict=True):
                if value == value:  # no NaN
                    values.setdefault((row.digest, run, against), []).append(Outcome(row.name, value))
        found: dict[Key, list[Outcome]] = {}
        for pair in known:
            outcomes = values.get((pair.definition.digest, pair.run, pair.against))
            if outcomes:
                try:
                    found.setdefault(self._key(pair), outcomes)
                except OutputError:
                    continue
        return found

    def _job(self, pair: Pair) -> Job:
        return Job(
            kind=pair.measure.kind, name=pair.measure.name, definition=pair.definition, runs=pair.runs,
            folder=self._folder, values=self._placeholders(pair),
        )  # fmt: skip

    def _placeholders(self, pair: Pair) -> dict[str, str]:
        """Return what a program is told of the run, of what it asks for: not of which variant it is."""
        if not pair.measure.of_kind.asks:
            return {}
        row = self._row(pair.run)
        task = self._tasks.get(row.task)
        every = {
            "task": row.task,
            "prompt": self._evidence.settings.prompt_of(row),
            "seed": str(row.seed),
            "expect": "\n".join(task.expect) if task is not None else "",
        }
        options = pair.definition.options
        if "script" in options:
            return every
        return {name: value for name, value in every.items() if f"{{{name}}}" in options.get("command", "")}

    def _source(self, measure: WantedMeasure) -> Source:
        which = (measure.of, measure.options.get(OUTPUT))
        if which not in self._sources:
            self._sources[which] = SOURCES[which[0]](self.kept, which[1])
        return self._sources[which]


def _takes_all(measure: WantedMeasure) -> bool:
    return "script" in measure.options or "{out}" in measure.options.get("command", "")


def _pair_keys(runs: Whole, against: Whole) -> Whole:
    """Return one number for each pair of runs."""
    return np.asarray(runs.astype(np.int64) << 32 | against)


def _known_by_digest(evidence: Evidence, name: str, again: bool) -> dict[str, Whole]:
    """Return by definition the keys of the pairs of which a measure of this name is known, or why it is not."""
    found: dict[str, list[Whole]] = {}
    measured, names = evidence.values.measured, evidence.values.names
    for number, row in evidence.values.definitions.items():
        # A program's numbers stand under other names than the mark that it was asked.
        if row.name == name or (again and names.parent(row) == name):
            these = measured.definitions == number
            if again:
                these = these & np.isfinite(measured.values)
            found.setdefault(row.digest, []).append(_pair_keys(measured.runs[these], measured.against[these]))
    return {digest: np.concatenate(keys) for digest, keys in found.items()}


class OutputsByRun:
    """Outputs, found by the runs that made them."""

    def __init__(self, kept: KeptOutputs):
        self._kept = kept
        self._files: dict[int, list[OutputRow]] = {}
        for file in kept.files:
            self._files.setdefault(file.run, []).append(file)

    def of(self, jobs: Sequence[Job]) -> KeptOutputs:
        """Return the outputs that these jobs are of."""
        runs = {run: None for job in jobs for run in job.runs}
        texts = {run: self._kept.texts[run] for run in runs if run in self._kept.texts}
        files = [file for run in runs for file in self._files.get(run, ())]
        return replace(self._kept, files=files, texts=texts)
