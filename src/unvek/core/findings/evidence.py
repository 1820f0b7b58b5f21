"""What findings rest on: the newest plan's measured runs, as arrays.

Warm-ups, voided runs and runs of cells that the plan no longer has are left out, and where a slot was filled
again (a run that could not begin, say) the latest run counts.
"""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fnmatch import fnmatchcase
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from unvek.core.errors import InputError
from unvek.core.logbook.store import Logbook, Measured, PlanOnRecord, Row
from unvek.core.measures.catalogue import BUILT_IN, RUN_COLUMNS, Measure, likeness_measure
from unvek.core.rig.facts import rig_words
from unvek.core.run.record import FINISHED, SIMULATED
from unvek.core.units import counted

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class VariantOnRecord:
    """A variant as the plan on record has it."""

    name: str
    form: str
    settings: Mapping[str, Any]
    weights_bytes: int | None


@dataclass(frozen=True)
class Evidence:
    """The runs that count, as rows, and their columns as arrays of the same length.

    The first run of a process is cold: where it is a measured one, it counts among outcomes and failures, but its
    times and memory are no value of the variant's, unless the variant has cold runs only.
    """

    plan: PlanOnRecord
    variants: tuple[VariantOnRecord, ...]
    reference: str
    rows: tuple[Row, ...]
    first_runs_s: Mapping[str, Sequence[float]]
    left_out: int
    loads_s: Mapping[int, float | None]
    measured: tuple[Measured, ...]

    @cached_property
    def variant(self) -> NDArray[np.int64]:
        places = {variant.name: place for place, variant in enumerate(self.variants)}
        return np.array([places[row["variant"]] for row in self.rows], np.int64)

    @cached_property
    def item(self) -> NDArray[np.int64]:
        places: dict[tuple[str, int], int] = {}
        return np.array([places.setdefault((row["task"], row["seed"]), len(places)) for row in self.rows], np.int64)

    @cached_property
    def round(self) -> NDArray[np.int64]:
        return np.array([row["round"] for row in self.rows], np.int64)

    @cached_property
    def finished(self) -> NDArray[np.bool_]:
        return np.array([row["status"] == FINISHED for row in self.rows], bool)

    @cached_property
    def by_number(self) -> Mapping[int, Row]:
        return {row["number"]: row for row in self.rows}

    @cached_property
    def cold(self) -> NDArray[np.bool_]:
        """Which rows are the first run of their process, of a variant that has others."""
        return np.array([row["place"] == 1 and row["variant"] not in self.only_cold for row in self.rows], bool)

    @cached_property
    def only_cold(self) -> tuple[str, ...]:
        """The variants whose every run was the first of its process: their figures are cold ones."""
        finished = [row for row in self.rows if row["status"] == FINISHED]
        warm = {row["variant"] for row in finished if row["place"] > 1}
        return tuple(dict.fromkeys(row["variant"] for row in finished if row["variant"] not in warm))

    @property
    def simulated(self) -> tuple[str, ...]:
        """The variants of which some figures are from a stand-in."""
        return tuple(dict.fromkeys(row["variant"] for row in self.rows if row["source"] == SIMULATED))

    @property
    def likeness_names(self) -> tuple[str, ...]:
        """The measures against the reference's outputs that the plan asks for."""
        return tuple(measure["name"] for measure in self.plan.content["measures"])

    def of_variant(self, name: str) -> NDArray[np.bool_]:
        return np.asarray(self.variant == [variant.name for variant in self.variants].index(name))

    def measure(self, name: str) -> Measure:
        """Return a measure by its name; InputError names the ones there are."""
        found = self.measures().get(name)
        if found is None:
            raise InputError(f"there is no measure {name!r}; there are {', '.join(self.measures())}")
        return found

    def measures(self) -> dict[str, Measure]:
        """Return every measure that these runs may have, by name."""
        asked = {m["name"]: likeness_measure(m["name"], m["kind"]) for m in self.plan.content["measures"]}
        told = {m.name: Measure(name=m.name, unit=m.unit, better=None) for m in self.measured if m.against == 0}
        return {**told, **BUILT_IN, **asked}

    def values(self, name: str) -> Floats:
        """Return a measure of each run (NaN where it is unknown, or the run did not finish)."""
        if name not in self._columns:
            self._columns[name] = self._read_values(name)
        return self._columns[name]

    @cached_property
    def _columns(self) -> dict[str, Floats]:
        return {}

    def _read_values(self, name: str) -> Floats:
        if name in RUN_COLUMNS:
            column = [row[RUN_COLUMNS[name]] for row in self.rows]
        elif name == "time.load":
            column = [self.loads_s.get(row["launch"]) for row in self.rows]
        else:
            known = self._measured_by_run(name)
            column = [known.get(row["number"]) for row in self.rows]
        values = np.array([np.nan if value is None else value for value in column], np.float64)
        values[~self.finished] = np.nan
        if name in RUN_COLUMNS:
            values[self.cold] = np.nan
        values.flags.writeable = False
        return values

    def likeness_to_other_seeds(self, name: str) -> Floats:
        """Return how alike the reference's runs are to its own runs of other seeds, one value a pair."""
        return np.array([m.value for m in self._likenesses(name) if self._seeds_differ(m)], np.float64)

    def _measured_by_run(self, name: str) -> dict[int, float | None]:
        told = {m.run: m.value for m in self.measured if m.name == name and m.against == 0}
        return told or {m.run: m.value for m in self._likenesses(name) if not self._seeds_differ(m)}

    def _likenesses(self, name: str) -> list[Measured]:
        """The likenesses to runs of the reference that count."""
        return [
            m
            for m in self.measured
            if m.name == name
            and m.value is not None
            and m.run in self.by_number
            and m.against in self.by_number
            and self.by_number[m.against]["variant"] == self.reference
        ]

    def _seeds_differ(self, m: Measured) -> bool:
        return bool(self.by_number[m.run]["seed"] != self.by_number[m.against]["seed"])


def gather(
    logbook: Logbook, reference: str | None = None, only: str = "*", tasks: str = "*", across_rigs: bool = False
) -> Evidence:
    """Gather the evidence for the newest plan.

    reference replaces the plan's own; only and tasks are patterns (`*`, `?`, `[...]`) for the names of variants and
    tasks; the reference always stays. Raises InputError where there are no runs, where no variant fits, and where
    the runs were made on more than one rig, unless that is asked for.
    """
    plan = logbook.newest_plan()
    if plan is None:
        raise InputError(f"there are no runs in {logbook.folder.path} yet; make some with 'unvek run PLAN'")
    reference = reference or plan.content["reference"]
    every = tuple(VariantOnRecord(**entry) for entry in plan.content["variants"])
    names = [variant.name for variant in every]
    if reference not in names:
        raise InputError(f"there is no variant {reference!r} to be the reference; there are {', '.join(names)}")
    variants = tuple(v for v in every if v.name == reference or fnmatchcase(v.name, only))
    if only != "*" and not any(fnmatchcase(name, only) for name in names):
        raise InputError(f"no variant's name fits {only!r}; there are {', '.join(names)}")
    runs = logbook.runs()
    rows, left_out = _counting_rows(runs, plan, {v.name for v in variants}, tasks)
    if not rows:
        raise InputError("there are no measured runs of this plan yet; make some with 'unvek run PLAN'")
    if not across_rigs:
        _refuse_several_rigs(logbook, rows)
    return Evidence(
        plan=plan,
        variants=variants,
        reference=reference,
        rows=rows,
        first_runs_s=_first_runs_s(runs, plan),
        left_out=left_out,
        loads_s={row["number"]: row["load_s"] for row in logbook.launches()},
        measured=tuple(logbook.measured()),
    )


def _counting_rows(runs: list[Row], plan: PlanOnRecord, names: set[str], tasks: str) -> tuple[tuple[Row, ...], int]:
    cells = set(plan.content["cells"])
    latest: dict[tuple[str, int, int], Row] = {}
    left_out = 0
    for row in runs:
        if row["warm_up"] or row["variant"] not in names or not fnmatchcase(row["task"], tasks):
            continue
        if row["cell"] not in cells or row["voided"] is not None:
            left_out += 1
        else:
            latest[row["cell"], row["round"], row["repeat"]] = row
    return tuple(latest.values()), left_out


def _first_runs_s(runs: list[Row], plan: PlanOnRecord) -> dict[str, list[float]]:
    """Return the seconds of the first run of every process, by variant: the warm-ups among them too."""
    cells = set(plan.content["cells"])
    found: dict[str, list[float]] = {}
    for row in runs:
        if row["place"] == 1 and row["cell"] in cells and row["voided"] is None and row["status"] == FINISHED:
            found.setdefault(row["variant"], []).append(row["time_s"])
    return found


def _refuse_several_rigs(logbook: Logbook, rows: tuple[Row, ...]) -> None:
    counts = Counter(row["rig"] for row in rows)
    if len(counts) < 2:
        return
    rigs = logbook.rigs()
    named = "; ".join(f"{counted(count, 'run')} on {rig_words(rigs[rig])} ({rig[:8]})" for rig, count in counts.items())
    raise InputError(
        f"these runs were made on {len(counts)} rigs: {named}. Times of different machines do not compare: "
        "make the missing runs here with 'unvek run', or add --across-rigs to compare all the same"
    )
