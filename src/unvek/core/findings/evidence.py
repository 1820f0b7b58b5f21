"""What findings rest on: the newest plan's measured runs, as arrays."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from unvek.core.errors import InputError
from unvek.core.findings.derived import DERIVED
from unvek.core.findings.warming import Warming, still_warming
from unvek.core.logbook.run_table import Coded, RunTable
from unvek.core.logbook.store import Measured, PlanOnRecord, Row
from unvek.core.measures.catalogue import BUILT_IN, KINDS, RUN_COLUMNS, Measure, wanted_measure
from unvek.core.run.record import FINISHED
from unvek.core.stats.grouping import numbered
from unvek.core.stats.items import score_location, score_ratio
from unvek.core.stats.launches import Ratio, Sample, location, paired_ratio
from unvek.core.stats.student import Estimate

Floats = NDArray[np.float64]


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

    plan: PlanOnRecord
    variants: tuple[VariantOnRecord, ...]
    reference: str
    rows: RunTable
    first_runs_s: Mapping[str, Sequence[float]]
    left_out: int
    voided: tuple[Row, ...]
    made_of: Mapping[int, Row]
    rigs: Mapping[str, Row]
    every_launch: tuple[Row, ...]
    measured: tuple[Measured, ...]

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
                variant=self.launches[launch]["variant"],
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
    def launches(self) -> Mapping[int, Row]:
        """The launches that these runs were made in, by number."""
        wanted = set(self.launch.tolist())
        return {row["number"]: row for row in self.every_launch if row["number"] in wanted}

    @property
    def pilot(self) -> int | None:
        """The rounds whose spread decided how many were made; None where the plan said how many."""
        content = self.plan.content
        return int(content["rounds"]) if content.get("settle_to") is not None else None

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
        """The measures against the reference's outputs that the plan asks for."""
        return tuple(m["name"] for m in self.plan.content["measures"] if KINDS[m["kind"]].is_likeness)

    @property
    def wanted_names(self) -> tuple[str, ...]:
        """All measures that the plan asks for."""
        return tuple(measure["name"] for measure in self.plan.content["measures"])

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
        asked = {m["name"]: wanted_measure(m["name"], m["kind"]) for m in self.plan.content["measures"]}
        told = {m.name: Measure(name=m.name, unit=m.unit, better=None) for m in self.measured if m.against == 0}
        return {**told, **BUILT_IN, **asked}

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
        if name in RUN_COLUMNS:
            values = self.rows.numbers(RUN_COLUMNS[name]).copy()
            values[self.cold] = np.nan
        elif name == "time.load":
            loads_s = {number: launch["load_s"] for number, launch in self.launches.items()}
            values = np.array([loads_s[number] for number in self.launch.tolist()], np.float64)
        else:
            values = self._measured_values(name)
        values[~self.finished] = np.nan
        values.flags.writeable = False
        return values

    @cached_property
    def tasks(self) -> Mapping[str, Mapping[str, Any]]:
        """The tasks as the plan on record has them, by name."""
        return {task["name"]: task for task in self.plan.content["tasks"]}

    def setting(self, row: Row, name: str) -> Any:
        """Return a setting as a run had it: as varied, or the variant's, or the task's; None where it had none."""
        for settings in (
            row["varied"],
            self._settings[row["variant"]],
            self.tasks.get(row["task"], {}).get("settings", {}),
        ):
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
    def _kinds_of_settings(self) -> tuple[NDArray[np.int64], list[Row]]:
        """Which runs have all settings alike: (n,) the number of each run's kind, and a run of each kind."""
        kinds, _ = numbered(self.variant, self.task_codes, self.varied_codes)
        return np.asarray(kinds, np.int64), [
            self.rows[place] for place in np.unique(kinds, return_index=True)[1].tolist()
        ]

    def on_rig(self, fingerprint: str) -> NDArray[np.bool_]:
        return self.rows.coded("rig").where(lambda rig: rig == fingerprint)

    def is_score(self, name: str) -> bool:
        """Whether a measure is of outputs: of another prompt or seed it would be another one."""
        return name in self.wanted_names

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
        if name not in self._measured_by_name:
            return values
        places, against, likeness = self._likenesses(name)
        same = self.seed[places] == self.seed[against]
        values[places[same]] = likeness[same]
        runs, held_against, measured = self._measured_of(name)
        told = (held_against == 0) & (runs >= 0)
        values[runs[told]] = measured[told]
        return values

    def _likenesses(self, name: str) -> tuple[NDArray[np.int64], NDArray[np.int64], Floats]:
        """The likenesses that count: places of the runs, of those that they are held against, and the values."""
        runs, held_against, values = self._measured_of(name)
        against = self._places_of(held_against)
        counts = (runs >= 0) & (against >= 0) & np.isfinite(values)
        runs, against, values = runs[counts], against[counts], values[counts]
        fits = self.of_variant(self.reference)[against] & (self.varied_codes[against] == self.held_codes[runs])
        return runs[fits], against[fits], values[fits]

    def _measured_of(self, name: str) -> tuple[NDArray[np.int64], NDArray[np.int64], Floats]:
        """What is measured under a name: places of runs (-1: does not count), numbers held against, values."""
        found = self._measured_by_name.get(name, ())
        numbers, held_against = (np.array([m[at] for m in found], np.int64) for at in (0, 2))
        return self._places_of(numbers), held_against, np.array([m.value for m in found], np.float64)

    @cached_property
    def _measured_by_name(self) -> Mapping[str, Sequence[Measured]]:
        by_name: dict[str, list[Measured]] = {}
        for m in self.measured:
            by_name.setdefault(m.name, []).append(m)
        return by_name

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
