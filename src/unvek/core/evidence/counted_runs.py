"""The runs that count, as rows, and their columns as arrays of the same length."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from unvek.core.evidence.warming import Warming, still_warming
from unvek.core.logbook.rows import LaunchRow, RunRow
from unvek.core.logbook.run_columns import Coded
from unvek.core.logbook.run_table import RunTable
from unvek.core.run.events.record import FINISHED, is_from_elsewhere
from unvek.core.stats.grouping import numbered, small

Floats = NDArray[np.float64]
Whole = NDArray[np.int64]
Truths = NDArray[np.bool_]


def varied_words(varied: Mapping[str, Any]) -> str:
    return repr(sorted(varied.items())) if varied else ""


def machine_codes(rows: RunTable[RunRow], names: Mapping[str, str]) -> Whole:
    """Return (n,) a code for the machine of each run, by its name; 0 is the first, and any without a name the same."""
    coded = rows.coded("rig")
    named = [names.get(rig, "") for rig in coded.values]
    codes = {name: code for code, name in enumerate(sorted(set(named)))}
    return np.array([codes[name] for name in named], np.int64)[coded.codes]


@dataclass(frozen=True, slots=True, kw_only=True)
class VariantOnRecord:
    """A variant as the plan on record has it."""

    name: str
    form: str
    settings: Mapping[str, Any]
    weights_bytes: int | None = None
    precision: str | None = None


@dataclass(frozen=True)
class CountedRuns:
    """Runs of these variants. A column of truths says which of the runs something holds of.

    The first run of a process is cold: where it is a measured one, it counts among outcomes and failures, but its
    times and memory are no value of the variant's, unless the variant has cold runs only.
    """

    rows: RunTable[RunRow]
    variants: tuple[VariantOnRecord, ...]
    every_launch: tuple[LaunchRow, ...]
    machines: Mapping[str, str] = field(default_factory=dict)  # names by fingerprint, of machines that have one

    def __len__(self) -> int:
        return len(self.rows)

    def __contains__(self, number: object) -> bool:
        """Whether the run of this number is among them."""
        return isinstance(number, int) and self._place_of(number) >= 0

    def variant_name(self, number: int) -> str:
        """Return the name of the variant of a run that is among them."""
        return self.variants[int(self.variant[self._place_of(number)])].name

    def item_of(self, number: int) -> int:
        """Return the number of the item of a run that is among them."""
        return int(self.item[self._place_of(number)])

    # ---- which run each is ----

    @cached_property
    def number(self) -> Whole:
        return self.rows.whole_numbers("number")

    @property
    def latest(self) -> int:
        """The number of the run that was made last."""
        return int(self.number.max())

    @cached_property
    def variant(self) -> NDArray[np.int32]:
        """Which variant each run is of: its place among them."""
        places = {variant.name: place for place, variant in enumerate(self.variants)}
        codes, names = self.rows.coded("variant")
        return np.array([places.get(name, -1) for name in names], np.int32)[codes]

    @cached_property
    def item(self) -> Whole:
        """What is paired: the task, the seed and the values of what is varied."""
        return np.asarray(numbered(self.task_codes, self.seed, self.varied_codes)[0], np.int64)

    @cached_property
    def seed(self) -> Whole:
        return self.rows.whole_numbers("seed")

    @cached_property
    def session(self) -> Whole:
        """The number of the session that each run was made in; 0 where it is not known."""
        return np.asarray(self.of_launches(lambda launch: launch.session or 0), np.int64)

    def first_of_items(self, variant: str) -> Whole:
        """Return the places of a variant's first finished run of each item, of those that were made here."""
        mine = np.flatnonzero(self.finished & self.made_here & self.of_variant(variant))
        return np.asarray(mine[np.unique(self.item[mine], return_index=True)[1]])

    @cached_property
    def task_codes(self) -> Whole:
        """Which runs are of the same task."""
        return np.asarray(self.rows.coded("task").codes, np.int64)

    @cached_property
    def varied_codes(self) -> Whole:
        """Which runs have the same values of what is varied."""
        return self.codes_of_varied([varied_words(varied) for varied in self.few_varied])

    @property
    def few_varied(self) -> Sequence[Mapping[str, Any]]:
        """The different values of what is varied; equal ones may come twice."""
        return self.rows.coded("varied").values

    def codes_of_varied(self, words: Sequence[str]) -> Whole:
        """Return (n,) a code a run, from the words for each of the different values."""
        places = {text: code for code, text in enumerate(dict.fromkeys((*map(varied_words, self.few_varied), *words)))}
        return np.array([places[text] for text in words], np.int64)[self.rows.coded("varied").codes]

    @cached_property
    def round(self) -> Whole:
        return self.rows.whole_numbers("round")

    @cached_property
    def machine(self) -> Whole:
        """Which machine each run was made on, of those that have names; all others are taken for one."""
        return machine_codes(self.rows, self.machines)

    @cached_property
    def round_of_machine(self) -> Whole:
        """What runs are paired within: the round, and the machine where there are several of a name."""
        if not self.machines or not np.any(self.machine):
            return self.round
        return self.machine * (1 + int(self.round.max(initial=0))) + self.round

    @cached_property
    def launch(self) -> Whole:
        return self.rows.whole_numbers("launch")

    def of_launches(self, told: Callable[[LaunchRow], float | None]) -> Floats:
        """Return (runs,) what each one's launch tells, NaN where it tells nothing."""
        numbers, places = self._launch_numbers
        of_each = np.array([told(self.launches[number]) for number in numbers.tolist()], np.float64)
        return np.asarray(of_each[places])

    @cached_property
    def _launch_numbers(self) -> tuple[Whole, NDArray[np.integer]]:
        """The numbers of these launches, and which of them each run was made in."""
        numbers, places = np.unique(self.launch, return_inverse=True)
        return numbers, small(places)

    @cached_property
    def launches(self) -> Mapping[int, LaunchRow]:
        """The launches that these runs were made in, by number."""
        wanted = set(self._launch_numbers[0].tolist())
        return {launch.number: launch for launch in self.every_launch if launch.number in wanted}

    def places_of(self, numbers: Whole) -> Whole:
        """Return where the runs of these numbers stand, -1 for one that is not among them."""
        mine = self.number  # in order, and perhaps far apart
        places = np.minimum(np.searchsorted(mine, numbers), len(mine) - 1)
        return np.where(mine[places] == numbers, places, -1)

    def _place_of(self, number: int) -> int:
        place = int(self.number.searchsorted(number))
        return place if place < len(self.number) and self.number[place] == number else -1

    # ---- which runs something holds of ----

    @property
    def status(self) -> Coded:
        return self.rows.coded("status")

    @cached_property
    def finished(self) -> Truths:
        return self.status.where(lambda status: status == FINISHED)

    @cached_property
    def made_here(self) -> Truths:
        """Which runs were made here, and not brought in from elsewhere."""
        return ~self.rows.coded("cell").where(is_from_elsewhere)

    def of_variant(self, name: str) -> Truths:
        if name not in self._of_variant:
            names = [variant.name for variant in self.variants]
            self._of_variant[name] = np.asarray(self.variant == names.index(name))
        return self._of_variant[name]

    @cached_property
    def _of_variant(self) -> dict[str, Truths]:
        return {}

    def on_rig(self, fingerprint: str) -> Truths:
        return self.rows.coded("rig").where(lambda rig: rig == fingerprint)

    @cached_property
    def cold(self) -> Truths:
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

    @cached_property
    def still_warming(self) -> tuple[Warming, ...]:
        times_s = np.where(self.finished, self.rows.numbers("time_s"), np.nan)
        cells = np.asarray(numbered(self.variant, self.item)[0], np.int64)
        found = still_warming(times_s, cells, self.launch, self.rows.whole_numbers("place"))
        return tuple(
            Warming(launch=launch, variant=self.launches[launch].variant, runs=runs, less_time_share=share)
            for launch, runs, share in found
        )

    def of_source(self, source: str) -> Truths:
        """Which runs' figures are from this source."""
        if source not in self._of_source:
            self._of_source[source] = self.rows.coded("source").where(lambda known: known == source)
        return self._of_source[source]

    @cached_property
    def _of_source(self) -> dict[str, Truths]:
        return {}

    def variants_from(self, source: str) -> tuple[str, ...]:
        """Return the variants of which some figures are from this source."""
        these = self.of_source(source)
        return tuple(v.name for v in self.variants if np.any(these & self.of_variant(v.name))) if np.any(these) else ()

    def column(self, name: str) -> Floats:
        """Return a column of the table of runs as numbers, 0 where nothing is known."""
        return np.nan_to_num(self.rows.numbers(name))
