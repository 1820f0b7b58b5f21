"""What findings rest on: the newest plan's measured runs, as arrays."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from unvek.core.errors import InputError
from unvek.core.findings.derived import DERIVED
from unvek.core.findings.measurements import Measurements, Without
from unvek.core.findings.warming import Warming, still_warming
from unvek.core.logbook.measure_names import MeasureNames
from unvek.core.logbook.plan_record import PlanOnRecord
from unvek.core.logbook.rows import DefinitionRow, LaunchRow, RunRow, behind_measures
from unvek.core.logbook.run_table import Coded, RunTable
from unvek.core.measures.catalogue import BUILT_IN, LOAD
from unvek.core.measures.definition import Measure
from unvek.core.measures.kinds import KINDS, NUMBERS
from unvek.core.plan.model import Plan, Task
from unvek.core.run.record import FINISHED, Provenance, is_from_elsewhere
from unvek.core.stats.grouping import numbered
from unvek.core.stats.items import score_location, score_ratio
from unvek.core.stats.launches import Ratio, Sample, location, paired_ratio
from unvek.core.stats.student import Estimate

Floats = NDArray[np.float64]
COLUMNS = behind_measures()


def varied_words(varied: Mapping[str, Any]) -> str:
    return repr(sorted(varied.items())) if varied else ""


@dataclass(frozen=True, slots=True, kw_only=True)
class VariantOnRecord:
    """A variant as the plan on record has it."""

    name: str
    form: str
    settings: Mapping[str, Any]
    weights_bytes: int | None = None


@dataclass(frozen=True)
class Evidence:
    """The runs that count, as rows, and their columns as arrays of the same length.

    The first run of a process is cold: where it is a measured one, it counts among outcomes and failures, but its
    times and memory are no value of the variant's, unless the variant has cold runs only.
    """

    on_record: PlanOnRecord
    variants: tuple[VariantOnRecord, ...]
    reference: str
    rows: RunTable[RunRow]
    first_runs_s: Mapping[str, Sequence[float]]
    left_out: int
    voided: tuple[RunRow, ...]
    made_of: Mapping[int, Provenance]
    rigs: Mapping[str, Mapping[str, Any]]
    every_launch: tuple[LaunchRow, ...]
    measured: Measurements
    definitions: Mapping[int, DefinitionRow]
    without: tuple[Without, ...] = ()
    changed: tuple[int, ...] = ()  # runs of which an output is not the file any more that was made, as far as looked at

    @property
    def plan(self) -> Plan:
        """The plan as it was when its latest runs were made."""
        return self.on_record.plan

    @cached_property
    def names(self) -> MeasureNames:
        """Under which name each measure on record is shown."""
        return MeasureNames(self.plan, self.definitions)

    @cached_property
    def variant(self) -> NDArray[np.int64]:
        """Which variant each run is of: its place among them."""
        places = {variant.name: place for place, variant in enumerate(self.variants)}
        codes, names = self.rows.coded("variant")
        return np.array([places.get(name, -1) for name in names], np.int64)[codes]

    @cached_property
    def item(self) -> NDArray[np.int64]:
        """What is paired: the task, the seed and the values of what is varied."""
        return np.asarray(numbered(self.task_codes, self.seed, self.varied_codes)[0], np.int64)

    @cached_property
    def seed(self) -> NDArray[np.int64]:
        return self.rows.whole_numbers("seed")

    @cached_property
    def task_codes(self) -> NDArray[np.int64]:
        """Which runs are of the same task."""
        return self.rows.coded("task").codes

    @cached_property
    def varied_codes(self) -> NDArray[np.int64]:
        """Which runs have the same values of what is varied."""
        return self._codes_of([varied_words(varied) for varied in self._few_varied])

    @cached_property
    def held_codes(self) -> NDArray[np.int64]:
        """Of what is varied, the values that each run's output is held against, coded as in varied_codes.

        Where the reference has a value of its own for what is varied, and was run with it, that is what it is meant to
        be run with: outputs at all values are held against that one, its own outputs too. Else the same value counts.
        """
        own = next(variant.settings for variant in self.variants if variant.name == self.reference)
        own = {name: own[name] for name, values in self.varied_values.items() if own.get(name) in values}
        if not own:
            return self.varied_codes
        meant = [{**varied, **{name: own[name] for name in varied if name in own}} for varied in self._few_varied]
        return self._codes_of([varied_words(varied) for varied in meant])

    @property
    def _few_varied(self) -> Sequence[Mapping[str, Any]]:
        """The different values of what is varied; equal ones may come twice."""
        return self.rows.coded("varied").values

    def _codes_of(self, words: Sequence[str]) -> NDArray[np.int64]:
        """Return (n,) a code a run, from the words for each of the different values."""
        places = {text: code for code, text in enumerate(dict.fromkeys((*map(varied_words, self._few_varied), *words)))}
        return np.array([places[text] for text in words], np.int64)[self.rows.coded("varied").codes]

    @cached_property
    def still_warming(self) -> tuple[Warming, ...]:
        times_s = np.where(self.finished, self.rows.numbers("time_s"), np.nan)
        cells = np.asarray(numbered(self.variant, self.item)[0], np.int64)
        found = still_warming(times_s, cells, self.launch, self.rows.whole_numbers("place"))
        return tuple(
            Warming(
                launch=launch,
                variant=self.launches[launch].variant,
                runs=runs,
                less_time_share=share,
            )
            for launch, runs, share in found
        )

    @property
    def status(self) -> Coded:
        return self.rows.coded("status")

    def column(self, name: str) -> Floats:
        """Return a column of the table of runs as numbers, 0 where nothing is known."""
        return np.nan_to_num(self.rows.numbers(name))

    @cached_property
    def varied_values(self) -> Mapping[str, Sequence[Any]]:
        """The settings that these runs have more than one value of, as the plan varies them."""
        found: dict[str, dict[Any, None]] = {}
        for varied in self._few_varied:
            for name, value in varied.items():
                found.setdefault(name, {})[value] = None
        return {name: tuple(values) for name, values in found.items() if len(values) > 1}

    @cached_property
    def round(self) -> NDArray[np.int64]:
        return self.rows.whole_numbers("round")

    @cached_property
    def launch(self) -> NDArray[np.int64]:
        return self.rows.whole_numbers("launch")

    @cached_property
    def launches(self) -> Mapping[int, LaunchRow]:
        """The launches that these runs were made in, by number."""
        wanted = set(self.launch.tolist())
        return {launch.number: launch for launch in self.every_launch if launch.number in wanted}

    @property
    def pilot(self) -> int | None:
        """The rounds whose spread decided how many were made; None where the plan said how many."""
        schedule = self.plan.schedule
        return schedule.rounds if schedule.settle_to is not None else None

    @cached_property
    def made_here(self) -> NDArray[np.bool_]:
        """Which runs were made here, and not brought in from elsewhere."""
        return ~self.rows.coded("cell").where(is_from_elsewhere)

    @cached_property
    def finished(self) -> NDArray[np.bool_]:
        return self.status.where(lambda status: status == FINISHED)

    @cached_property
    def cold(self) -> NDArray[np.bool_]:
        """Which rows are the first run of their process, of a variant that has others."""
        first = self.rows.whole_numbers("place") == 1
        for name in self.only_cold:
            first &= ~self.of_variant(name)
        return np.asarray(first)

    @cached_property
    def only_cold(self) -> tuple[str, ...]:
        """The variants whose every run was the first of its process: their figures are cold ones."""
        later = self.rows.whole_numbers("place") > 1
        names = (variant.name for variant in self.variants)
        mine = {name: self.of_variant(name) & self.finished for name in names}
        return tuple(name for name, these in mine.items() if np.any(these) and not np.any(these & later))

    def variants_from(self, source: str) -> tuple[str, ...]:
        """Return the variants of which some figures are from this source."""
        these = self.rows.coded("source").where(lambda known: known == source)
        return tuple(v.name for v in self.variants if np.any(these & self.of_variant(v.name))) if np.any(these) else ()

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

    @cached_property
    def _kinds(self) -> Mapping[str, str]:
        """The kind of each measure that is shown, by its name."""
        asked = {measure.name: measure.kind for measure in self.plan.measures}
        shown = ((self.names[number], row.content.kind) for number, row in self.definitions.items())
        return {**{known.measure.name: kind for known, kind in shown if known is not None}, **asked}

    def of_variant(self, name: str) -> NDArray[np.bool_]:
        if name not in self._of_variant:
            names = [variant.name for variant in self.variants]
            self._of_variant[name] = np.asarray(self.variant == names.index(name))
        return self._of_variant[name]

    @cached_property
    def _of_variant(self) -> dict[str, NDArray[np.bool_]]:
        return {}

    def measure(self, name: str) -> Measure:
        """Return a measure by its name; InputError names the ones there are."""
        found = self.measures().get(name)
        if found is None:
            raise InputError(f"there is no measure {name!r}; there are {', '.join(self.measures())}")
        return found

    def measures(self) -> Mapping[str, Measure]:
        """Return every measure that these runs may have, by name."""
        return self._measures

    @cached_property
    def _measures(self) -> Mapping[str, Measure]:
        asked = {measure.name: measure.measure for measure in self.plan.measures}
        known = [shown.measure for number in self.definitions if (shown := self.names[number]) is not None]
        return {**{measure.name: measure for measure in known}, **BUILT_IN, **asked}

    def values(self, name: str) -> Floats:
        """Return a measure of each run (NaN where it is unknown, or the run did not finish)."""
        if name not in self._columns:
            self._columns[name] = self._read_values(name)
        return self._columns[name]

    def has(self, name: str) -> bool:
        """Whether a measure is known of any run."""
        return bool(np.any(np.isfinite(self.values(name))))

    @cached_property
    def _columns(self) -> dict[str, Floats]:
        return {}

    def _read_values(self, name: str) -> Floats:
        if name in DERIVED:
            return DERIVED[name](self.values, self.setting_values)
        if name in COLUMNS:
            values = self.rows.numbers(COLUMNS[name]).copy()
            values[self.cold] = np.nan
        elif name == LOAD:
            loads_s = {number: launch.load_s for number, launch in self.launches.items()}
            values = np.array([loads_s[number] for number in self.launch.tolist()], np.float64)
        else:
            values = self._measured_values(name)
        values[~self.finished] = np.nan
        values.flags.writeable = False
        return values

    @cached_property
    def tasks(self) -> Mapping[str, Task]:
        """The tasks as the plan on record has them, by name; runs from elsewhere may be of others."""
        return {task.name: task for task in self.plan.tasks}

    def setting(self, run: RunRow, name: str) -> Any:
        """Return a setting as a run had it: as varied, or the variant's, or the task's; None where it had none."""
        task = self.tasks.get(run.task)
        for settings in (run.varied, self._settings[run.variant], task.settings if task is not None else {}):
            if name in settings:
                return settings[name]
        return None

    @cached_property
    def _settings(self) -> Mapping[str, Mapping[str, Any]]:
        return {variant.name: variant.settings for variant in self.variants}

    def setting_values(self, name: str) -> Floats:
        """Return a setting of each run as a number (NaN where it is none)."""
        kinds, representatives = self._kinds_of_settings
        found = [self.setting(row, name) for row in representatives]
        numbers = [v if isinstance(v, int | float) and not isinstance(v, bool) else np.nan for v in found]
        return np.array(numbers, float)[kinds]

    @cached_property
    def _kinds_of_settings(self) -> tuple[NDArray[np.int64], list[RunRow]]:
        """Which runs have all settings alike: (n,) the number of each run's kind, and a run of each kind."""
        kinds, _ = numbered(self.variant, self.task_codes, self.varied_codes)
        return np.asarray(kinds, np.int64), [
            self.rows[place] for place in np.unique(kinds, return_index=True)[1].tolist()
        ]

    def on_rig(self, fingerprint: str) -> NDArray[np.bool_]:
        return self.rows.coded("rig").where(lambda rig: rig == fingerprint)

    def is_score(self, name: str) -> bool:
        """Whether a measure is of outputs: of another prompt or seed it would be another one."""
        return name in self.score_names

    def sample(self, name: str, these: NDArray[np.bool_]) -> Sample:
        """Return a measure of some of the runs, with what they are paired by."""
        return Sample(self.values(name)[these], self.round[these], self.launch[these], self.item[these])

    def location(self, name: str, these: NDArray[np.bool_]) -> Estimate | None:
        """Return where a measure of some of the runs lies, with its interval; None where it is known of none."""
        place = score_location if self.is_score(name) else location
        return place(self.sample(name, these), self.measure(name).averaged, self.pilot)

    def ratio(self, name: str, ours: NDArray[np.bool_], theirs: NDArray[np.bool_]) -> Ratio | None:
        """Return a measure of some of the runs over that of others, paired; None where nothing pairs."""
        over = score_ratio if self.is_score(name) else paired_ratio
        return over(self.sample(name, ours), self.sample(name, theirs), self.pilot)

    def ratio_to_reference(self, name: str, variant: str) -> Ratio | None:
        """Return a variant's measure over the reference's; None for the reference itself."""
        if variant == self.reference:
            return None
        return self.ratio(name, self.of_variant(variant), self.of_variant(self.reference))

    def likeness_to_other_seeds(self, name: str) -> Floats:
        """Return how alike the reference's runs are to its own runs of other seeds, one value a pair."""
        if name not in self._to_other_seeds:
            places, against, values = self._likenesses(name)
            self._to_other_seeds[name] = values[self.seed[places] != self.seed[against]]
        return self._to_other_seeds[name]

    @cached_property
    def _to_other_seeds(self) -> dict[str, Floats]:
        return {}

    def _measured_values(self, name: str) -> Floats:
        """A measure of outputs, or one that a script has told, of each run."""
        values = np.full(len(self.rows), np.nan)
        places, against, likeness = self._likenesses(name)
        same = self.seed[places] == self.seed[against]
        values[places[same]] = likeness[same]
        places, held_against, measured = self._measured_of(name)
        alone = held_against == 0
        values[places[alone]] = measured[alone]
        return values

    def _likenesses(self, name: str) -> tuple[NDArray[np.int64], NDArray[np.int64], Floats]:
        """The likenesses that count: places of the runs, of those that they are held against, and the values."""
        places, held_against, values = self._measured_of(name)
        against = self._places_of(held_against)
        counts = (against >= 0) & np.isfinite(values)
        places, against, values = places[counts], against[counts], values[counts]
        fits = self.of_variant(self.reference)[against] & (self.varied_codes[against] == self.held_codes[places])
        return places[fits], against[fits], values[fits]

    def _measured_of(self, name: str) -> tuple[NDArray[np.int64], NDArray[np.int64], Floats]:
        """What is measured under a name: places of the runs, numbers of those held against, values."""
        if name not in self._by_name:
            self._by_name[name] = self._look_up(name)
        return self._by_name[name]

    @cached_property
    def _by_name(self) -> dict[str, tuple[NDArray[np.int64], NDArray[np.int64], Floats]]:
        return {}

    def _look_up(self, name: str) -> tuple[NDArray[np.int64], NDArray[np.int64], Floats]:
        measured = self.measured
        shown = {number: known for number in self.definitions if (known := self.names[number]) is not None}
        numbers = [number for number, known in shown.items() if known.measure.name == name]
        counts = np.isin(measured.definitions, numbers)
        places = self._places_of(measured.runs)
        counts &= places >= 0
        for number in numbers:
            if shown[number].but_of_tasks:
                is_of_task = self.rows.coded("task").where(shown[number].of_task)
                counts &= (measured.definitions != number) | is_of_task[places]
        return places[counts], measured.against[counts], measured.values[counts]

    def _places_of(self, numbers: NDArray[np.int64]) -> NDArray[np.int64]:
        """Return where the runs of these numbers stand, -1 for one that is not among them."""
        places = self._place_by_number
        return np.where(numbers < len(places), places[np.minimum(numbers, len(places) - 1)], -1)

    @cached_property
    def _place_by_number(self) -> NDArray[np.int64]:
        numbers = self.rows.whole_numbers("number")
        places = np.full(int(numbers.max()) + 1, -1, np.int64)
        places[numbers] = np.arange(len(numbers))
        return places
