"""What is known of the runs that count under each measure's name: of built-in measures, derived and measured ones."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from unvek.core.errors import InputError
from unvek.core.evidence.counted_runs import CountedRuns, Floats, Whole
from unvek.core.evidence.derived import DERIVED
from unvek.core.evidence.held import HeldAgainst
from unvek.core.evidence.measurements import Measurements
from unvek.core.logbook.measure_names import MeasureNames
from unvek.core.logbook.rows import DefinitionRow, behind_measures
from unvek.core.measures.catalogue import BUILT_IN, LOAD, is_ours
from unvek.core.measures.definition import Measure
from unvek.core.measures.kinds import KINDS, NUMBERS
from unvek.core.plan.model import Plan

COLUMNS = behind_measures()


@dataclass(frozen=True)
class Values:
    """Every measure of the runs. `measured` and `definitions` are what the logbook keeps of outputs and of tellings."""

    plan: Plan
    held: HeldAgainst
    measured: Measurements
    definitions: Mapping[int, DefinitionRow]

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
        found = self.measures.get(name)
        if found is None:
            raise InputError(f"there is no measure {name!r}; there are {', '.join(self.measures)}")
        return found

    @cached_property
    def measures(self) -> Mapping[str, Measure]:
        """Every measure that these runs may have, by name."""
        asked = {measure.name: measure.measure for measure in self.plan.worked_out}
        known = [shown.measure for number in self.definitions if (shown := self.names[number]) is not None]
        return {**{measure.name: measure for measure in known}, **BUILT_IN, **asked}

    @property
    def likeness_names(self) -> tuple[str, ...]:
        """The scores that hold an output against the reference's."""
        return tuple(name for name in self.score_names if (kind := self._kinds.get(name)) and KINDS[kind].is_likeness)

    @property
    def score_names(self) -> tuple[str, ...]:
        """The measures of outputs: those that the plan asks for; of runs from elsewhere alone those they came with."""
        if self.plan.variants:
            return tuple(measure.name for measure in self.plan.measures)
        return tuple(name for name, kind in self._kinds.items() if kind in KINDS and KINDS[kind].of != NUMBERS)

    def is_score(self, name: str) -> bool:
        """Whether a measure is of outputs: of another prompt or seed it would be another one."""
        return name in self.score_names or self.is_share(name)

    def is_share(self, name: str) -> bool:
        """Whether all that a script or a file has told under this name is yes or no, as 1 or 0."""
        if is_ours(name) and not name.startswith(("told.", "imported.")):
            return False
        kind = KINDS.get(self._kinds.get(name, ""))
        if kind is not None and kind.of != NUMBERS:
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
            self._columns[name] = self._read(name)
        return self._columns[name]

    def has(self, name: str) -> bool:
        """Whether a measure is known of any run."""
        return bool(np.any(np.isfinite(self.of(name))))

    @cached_property
    def _columns(self) -> dict[str, Floats]:
        return {}

    def _read(self, name: str) -> Floats:
        runs = self._runs
        if name in DERIVED:
            return DERIVED[name](self.of, self.held.settings.numbers)
        if name in COLUMNS:
            values = runs.rows.numbers(COLUMNS[name]).copy()
            values[runs.cold] = np.nan
        elif name == LOAD:
            loads_s = {number: launch.load_s for number, launch in runs.launches.items()}
            values = np.array([loads_s[number] for number in runs.launch.tolist()], np.float64)
        else:
            values = self._measured_values(name)
        values[~runs.finished] = np.nan
        values.flags.writeable = False
        return values

    def _measured_values(self, name: str) -> Floats:
        """A measure of outputs, or one that a script has told, of each run."""
        values = np.full(len(self._runs), np.nan)
        places, against, likeness = self._likenesses(name)
        same = self._runs.seed[places] == self._runs.seed[against]
        values[places[same]] = likeness[same]
        places, held_against, measured = self._measured_of(name)
        alone = held_against == 0
        values[places[alone]] = measured[alone]
        return values

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
