"""What is known of the runs that count under each measure's name: of built-in measures, derived and measured ones."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property
from weakref import proxy

import numpy as np

from unvek.core.errors import InputError
from unvek.core.evidence.costs import WHERE_NEEDS_STAND, WHERE_PRICES_STAND, Costs
from unvek.core.evidence.counted_runs import CountedRuns, Floats, Whole
from unvek.core.evidence.derived import DERIVED
from unvek.core.evidence.held import HeldAgainst
from unvek.core.evidence.judged import Judged
from unvek.core.evidence.measurements import Measurements
from unvek.core.logbook.measure_names import MeasureNames
from unvek.core.logbook.rows import DefinitionRow, behind_measures
from unvek.core.measures.catalogue import (
    BUILT_IN,
    COST,
    COSTS,
    LOAD,
    MODEL_MEMORY,
    PEAK_MEMORY,
    PHASE_STEP_TIME,
    PHASE_STEPS,
    PHASE_TIME,
    built_in,
    is_ours,
)
from unvek.core.measures.definition import Measure
from unvek.core.measures.kind import NUMBERS, OTHER_SEEDS, REFERENCE, VERDICTS, Kind
from unvek.core.measures.kinds import KINDS
from unvek.core.plan.model import Plan, WantedMeasure

COLUMNS = behind_measures()
BESIDE_STEPS = "time.fixed"


def _is_of_warm_runs(name: str) -> bool:
    """Whether a measure is Unvek's own of what a run takes: the first, cold run of a process takes something else."""
    known = built_in(name)
    return known is not None and known.unit != ""


def _is_of_time(name: str) -> bool:
    """Whether a measure is Unvek's own of a time, or of what goes with it: keeping every preview takes some."""
    known = built_in(name)
    return known is not None and (known.is_speed or known.adds_up)


@dataclass(frozen=True)
class Values:
    """Every measure of the runs. `measured` and `definitions` are what the logbook keeps of outputs and of tellings."""

    plan: Plan
    held: HeldAgainst
    measured: Measurements
    definitions: Mapping[int, DefinitionRow]
    judged: Judged
    phases: Callable[[], Mapping[int, Mapping[str, float]]] = dict  # seconds, by run: read when they are asked for

    @property
    def _runs(self) -> CountedRuns:
        return self.held.runs

    @cached_property
    def names(self) -> MeasureNames:
        """Under which name each measure on record is shown."""
        return MeasureNames(self.plan, self.definitions)

    # ---- which measures there are ----

    def measure(self, name: str) -> Measure:
        """Return a measure by its name; InputError names the ones there are."""
        if name in COSTS and name not in self.measures:
            if self.plan.has_prices:
                raise InputError(f"the plan needs nothing of its outputs, so none is good or not; {WHERE_NEEDS_STAND}")
            raise InputError(f"what these runs cost is not known: the plan says no price; {WHERE_PRICES_STAND}")
        found = self.measures.get(name) or self._of_phase(name)
        if found is None:
            raise InputError(f"there is no measure {name!r}; there are {', '.join(self.measures)}")
        return found

    def _of_phase(self, name: str) -> Measure | None:
        """Return the measure of a phase's time that these runs had; of its steps where it is the only one with any."""
        if name.startswith(PHASE_TIME):
            phase = name.removeprefix(PHASE_TIME)
            known = dict.fromkeys(phase for times_s in self._phases.values() for phase in times_s)
            if phase not in known:
                raise InputError(f"no run here has a phase {phase!r}; there are {', '.join(known) or 'none'}")
            return built_in(name)
        if name.startswith((PHASE_STEPS, PHASE_STEP_TIME)):
            stages = ", ".join(self.stages) or "none"
            raise InputError(
                f"no run here has steps in a phase {name.rpartition('.')[2]!r} beside others; there are {stages}; "
                "where one phase has all steps, output.steps and step.time are its"
            )
        return None

    @cached_property
    def _phases(self) -> Mapping[int, Mapping[str, float]]:
        return self.phases()

    @cached_property
    def stages(self) -> tuple[str, ...]:
        """The phases that have steps, of runs in which several do."""
        names = (name.removeprefix(PHASE_STEPS) for name in self.measures if name.startswith(PHASE_STEPS))
        return tuple(name for name in names if self.has(PHASE_STEPS + name))

    @cached_property
    def measures(self) -> Mapping[str, Measure]:
        """Every measure that these runs may have, by name."""
        asked = {measure.name: measure.measure for measure in self.plan.worked_out}
        known = [shown.measure for number in self.definitions if (shown := self.names[number]) is not None]
        costs = {measure.name: measure for measure in self.costs.measures}
        return {**{measure.name: measure for measure in known}, **self.judged.measures, **BUILT_IN, **costs, **asked}

    @property
    def likeness_names(self) -> tuple[str, ...]:
        """The scores that hold an output against the reference's."""
        against = {measure.name: measure.against for measure in self.plan.measures}
        held = {name: against.get(self.asked_as(name), self._usual_against(name)) for name in self.score_names}
        return tuple(name for name, what in held.items() if what == REFERENCE)

    def _usual_against(self, name: str) -> str | None:
        kind = KINDS.get(self._kinds.get(name, ""))
        return kind.against if kind is not None else None

    def kind_of(self, name: str) -> Kind:
        """Return the kind of a measure of outputs."""
        return KINDS[self._kinds[self.asked_as(name)]]

    def asked_as(self, name: str) -> str:
        """Return the plan's measure that a measure belongs to: its own name, or that of the program that gave it."""
        return self._parents.get(name, name)

    @cached_property
    def _parents(self) -> Mapping[str, str]:
        """The numbers that programs gave under names of their own, with the measure that asked for each."""
        found = {row.name: self.names.parent(row) for row in self.definitions.values()}
        return {name: parent for name, parent in found.items() if parent is not None and parent != name}

    @property
    def score_names(self) -> tuple[str, ...]:
        """The measures of outputs: those that the plan asks for; of runs from elsewhere alone those they came with."""
        if self.plan.variants:
            return tuple(name for measure in self.plan.measures for name in self.given_by(measure))
        return tuple(name for name, kind in self._kinds.items() if kind in KINDS and KINDS[kind].of != NUMBERS)

    def given_by(self, measure: WantedMeasure) -> list[str]:
        """Return the names that a measure's values have: its own, or those that its program gave."""
        if not measure.of_kind.asks or measure.asks_of_task:
            return [measure.name]
        parts = sorted(name for name, parent in self._parents.items() if parent == measure.name)
        return [*([measure.name] if not parts or self.has(measure.name) else []), *parts]

    def is_score(self, name: str) -> bool:
        """Whether a measure is of outputs: of another prompt or seed it would be another one."""
        return name in self.score_names or self.is_judged(name) or self.is_share(name)

    def is_cost(self, name: str) -> bool:
        """Whether a measure is what runs cost, by the plan's prices."""
        return name in COSTS and self.plan.measure(name) is None

    @property
    def has_costs(self) -> bool:
        """Whether it is known what any run has cost."""
        return COST in self.measures and self.is_cost(COST) and self.has(COST)

    @cached_property
    def costs(self) -> Costs:
        """What the runs cost, and which outputs are good."""
        mine = proxy(self)  # held by what it holds, arrays of a million runs would wait for the garbage collector
        return Costs(self.plan, self._runs, lambda name: mine.of(name), lambda name: mine._unit_of(name))

    def _unit_of(self, name: str) -> str | None:
        known = self.measures.get(name)
        return known.unit if known is not None else None

    def is_judged(self, name: str) -> bool:
        """Whether a measure is what judges said of outputs."""
        return self._verdicts_of(name) is not None

    def judged_by(self, name: str) -> str | None:
        """Return who has judged what a measure says, in words; None of one that nobody judges, or that nobody has."""
        found = self._verdicts_of(name)
        return self.judged.who(".".join(filter(None, found))) or None if found is not None else None

    def _verdicts_of(self, name: str) -> tuple[str, str] | None:
        """Return the kind and the judge of a measure that verdicts give: '' is people, or who judged first."""
        asked = self.plan.measure(name)
        if asked is not None:
            return (asked.kind, asked.options.get("judge", "")) if asked.of == VERDICTS else None
        if name in self.judged.measures and not self._is_told_by_others(name):
            kind, _, judge = name.partition(".")
            return kind, judge
        return None

    def _is_told_by_others(self, name: str) -> bool:
        """Whether a script, a program or a file has told something under this name."""
        shown = (self.names[number] for number in self.definitions)
        return any(one is not None and one.measure.name == name for one in shown)

    def is_share(self, name: str) -> bool:
        """Whether all that a script or a file has told under this name is yes or no, as 1 or 0."""
        if is_ours(name) and not name.startswith(("told.", "imported.")):
            return False
        kind = KINDS.get(self._kinds.get(name, ""))
        if kind is not None and kind.of != NUMBERS and not kind.asks:
            return False  # a likeness of 1 to every output is no yes
        values = self.of(name)
        known = values[np.isfinite(values)]
        return bool(len(known)) and bool(np.all((known == 0) | (known == 1)))

    def is_averaged(self, name: str) -> bool:
        """Whether many runs come to their mean, and not to their median."""
        return self.measure(name).averaged or self.is_share(name)

    @cached_property
    def _kinds(self) -> Mapping[str, str]:
        """The kind of each measure that is shown, by its name."""
        asked = {measure.name: measure.kind for measure in self.plan.measures}
        shown = ((self.names[number], row.content.kind) for number, row in self.definitions.items())
        return {**{known.measure.name: kind for known, kind in shown if known is not None}, **asked}

    # ---- their values ----

    def of(self, name: str) -> Floats:
        """Return a measure of each run (NaN where it is unknown, or the run did not finish)."""
        if name not in self._columns:
            found = self._read(name)
            # Most measures are known of no run: these share one column.
            self._columns[name] = found if np.any(np.isfinite(found)) else self._nothing
        return self._columns[name]

    def has(self, name: str) -> bool:
        """Whether a measure is known of any run."""
        return bool(np.any(np.isfinite(self.of(name))))

    @cached_property
    def _columns(self) -> dict[str, Floats]:
        return {}

    def _read(self, name: str) -> Floats:
        runs = self._runs
        if self.is_cost(name):
            return self.costs.of(name)
        if name in DERIVED and not (name == BESIDE_STEPS and self.stages):
            return DERIVED[name](self.of, self.held.settings.numbers)
        if name in COLUMNS:
            values = runs.rows.numbers(COLUMNS[name]).copy()
            values[runs.cold] = np.nan
        elif name == MODEL_MEMORY:
            added = self.of(PEAK_MEMORY) - runs.of_launches(lambda launch: launch.about.memory_before_bytes)
            values = np.where(added > 0, added, np.nan)
        elif name == LOAD:
            values = runs.of_launches(lambda launch: launch.load_s)
        elif name == BESIDE_STEPS and self.stages:
            values = self._beside_stages()
        else:
            values = self._of_phases(name) if name.startswith(PHASE_TIME) else self._measured_values(name)
            if _is_of_warm_runs(name):
                values[runs.cold] = np.nan
        values[~runs.finished] = np.nan
        if self.plan.keeps_previews and _is_of_time(name):
            values = np.full(len(runs), np.nan)
        values.flags.writeable = False
        return values

    @cached_property
    def _nothing(self) -> Floats:
        nothing = np.full(len(self._runs), np.nan)
        nothing.flags.writeable = False
        return nothing

    def _of_phases(self, name: str) -> Floats:
        """How long a phase took in each run."""
        phase = name.removeprefix(PHASE_TIME)
        times_s = self._phases
        return np.array([times_s.get(run, {}).get(phase, np.nan) for run in self._runs.number.tolist()], np.float64)

    def _beside_stages(self) -> Floats:
        """What a run takes beside its steps, where these are of several kinds."""
        stepped = np.zeros(len(self._runs))
        for stage in self.stages:
            taken = self.of(PHASE_STEPS + stage) * self.of(PHASE_STEP_TIME + stage)
            stepped += np.where(np.isfinite(taken), taken, 0.0)
        alone = self.of("step.time") * self.of("output.steps")  # of runs that had one kind only
        return np.asarray(self.of("time.total") - np.where(stepped > 0, stepped, alone))

    def _measured_values(self, name: str) -> Floats:
        """A measure of outputs, or one that a script has told or judges have said, of each run."""
        if (by := self._verdicts_of(name)) is not None:
            return self.judged.of(*by)
        if self._usual_against(name) == OTHER_SEEDS:
            return self._means_over_seeds(name)
        values = np.full(len(self._runs), np.nan)
        places, against, likeness = self._likenesses(name)
        same = self._runs.seed[places] == self._runs.seed[against]
        values[places[same]] = likeness[same]
        places, held_against, measured = self._measured_of(name)
        alone = held_against == 0
        values[places[alone]] = measured[alone]
        return values

    def between(self, name: str) -> tuple[Whole, Whole, Floats]:
        """Return what is known of a likeness between any two runs that count: places of both, and the values."""
        places, held_against, values = self._measured_of(name)
        against = self._runs.places_of(held_against)
        known = (held_against > 0) & (against >= 0)
        return places[known], against[known], values[known]

    def _means_over_seeds(self, name: str) -> Floats:
        """How far each run's output lies from those of the other seeds of its task, in the mean."""
        places, held_against, distances = self._measured_of(name)
        others = self._runs.places_of(held_against)
        known = (held_against > 0) & (others >= 0) & np.isfinite(distances)
        ends, both = np.r_[places[known], others[known]], np.r_[distances[known], distances[known]]
        sums, counts = (np.bincount(ends, weights, len(self._runs)) for weights in (both, None))
        return np.asarray(np.divide(sums, counts, out=np.full(len(self._runs), np.nan), where=counts > 0))

    def likeness_to_other_seeds(self, name: str) -> tuple[Floats, Whole]:
        """Return how alike the reference's runs are to its own runs of other seeds, one value a pair, and its task."""
        if name not in self._to_other_seeds:
            places, against, values = self._likenesses(name)
            differ = self._runs.seed[places] != self._runs.seed[against]
            self._to_other_seeds[name] = values[differ], self._runs.task_codes[places[differ]]
        return self._to_other_seeds[name]

    @cached_property
    def _to_other_seeds(self) -> dict[str, tuple[Floats, Whole]]:
        return {}

    def _likenesses(self, name: str) -> tuple[Whole, Whole, Floats]:
        """The likenesses that count: places of the runs, of those that they are held against, and the values."""
        places, held_against, values = self._measured_of(name)
        if not len(places):  # as of most names
            return places, held_against, values
        against = self._runs.places_of(held_against)
        counts = (against >= 0) & np.isfinite(values)
        places, against, values = places[counts], against[counts], values[counts]
        fits = self.held.fit(places, against)
        return places[fits], against[fits], values[fits]

    def _measured_of(self, name: str) -> tuple[Whole, Whole, Floats]:
        """What is measured under a name: places of the runs, numbers of those held against, values."""
        if name not in self._by_name:
            self._by_name[name] = self._look_up(name)
        return self._by_name[name]

    @cached_property
    def _by_name(self) -> dict[str, tuple[Whole, Whole, Floats]]:
        return {}

    def _look_up(self, name: str) -> tuple[Whole, Whole, Floats]:
        measured = self.measured
        shown = {number: known for number in self.definitions if (known := self.names[number]) is not None}
        numbers = [number for number, known in shown.items() if known.measure.name == name]
        counts = np.isin(measured.definitions, numbers)
        places = self._runs.places_of(measured.runs)
        counts &= places >= 0
        for number in numbers:
            if shown[number].but_of_tasks:
                is_of_task = self._runs.rows.coded("task").where(shown[number].of_task)
                counts &= (measured.definitions != number) | is_of_task[places]
        return places[counts], measured.against[counts], measured.values[counts]
