"""What a curve goes over: the value of a setting in each run, of a number about its task, or of what a run was told to
have counted.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from unvek.core.errors import InputError
from unvek.core.evidence.counted_runs import Floats, Whole
from unvek.core.evidence.evidence import Evidence
from unvek.core.logbook.rows import RunRow
from unvek.core.measures.catalogue import COUNTS
from unvek.core.stats.grouping import numbered

MOST_VALUES = 60
CLIENTS = "clients"  # of these more do not do more of the same: they wait for each other
# Settings of how long what is made is: one long thing may be held against several short ones.
LENGTHS = frozenset(("frames", "seconds", "length", "tokens", "most_tokens", "batch"))
NEAR = (1.05, 1.1, 1.2, 1.5, 2.0)  # counts of runs within such a factor are taken together: the first that is enough
Value = float | str | bool


@dataclass(frozen=True, slots=True)
class Values:
    """The value of the setting of each run: a place in `names`, or -1; items are what is the same at every value.

    is_length: whether more of the setting is more of what is made; are_clients: whether it is how many ask at once.
    """

    names: tuple[Value, ...]
    places: NDArray[np.int64]
    items: NDArray[np.int64]
    is_length: bool
    are_clients: bool

    @property
    def numbers(self) -> NDArray[np.float64] | None:
        """The values as numbers; None where they are none."""
        if not all(isinstance(name, int | float) and not isinstance(name, bool) for name in self.names):
            return None
        return np.array(self.names, np.float64)


def values_of(evidence: Evidence, setting: str) -> Values:
    """Return the setting's value in each run: as varied, or the task's number, or as variants and tasks set it.

    InputError names what there is, where it has fewer than two values here.
    """
    kinds, rows = evidence.settings.kinds
    found: Sequence[Value | None] = [_value_of(evidence, setting, row) for row in rows]
    if setting in COUNTS and not any(value is not None for value in found):
        found, kinds = _counted(evidence.values.of(setting))
    names = [value for value in dict.fromkeys(found) if value is not None]
    if len(names) < 2:
        known = ", ".join(_settings_with_values(evidence))
        wanted = f"there are {known}, and position" if known else "vary one under [vary] in the plan; there is position"
        raise InputError(f"{setting!r} has not two values in these runs; {wanted}")
    if len(names) > MOST_VALUES:
        raise InputError(
            f"{setting!r} has {len(names)} values in these runs; a curve is drawn through {MOST_VALUES} at most"
        )
    if all(isinstance(name, int | float) for name in names):
        names.sort()
    places = {name: place for place, name in enumerate(names)}
    return Values(
        names=tuple(names),
        places=np.array([-1 if value is None else places[value] for value in found], np.int64)[kinds],
        items=_items(evidence, setting),
        is_length=setting in LENGTHS or any(setting in task.facts for task in evidence.settings.tasks.values()),
        are_clients=setting == CLIENTS,
    )


def _items(evidence: Evidence, setting: str) -> Whole:
    """Return (runs,) numbers for what is paired over values: all but the setting, or the seed where tasks have it."""
    kinds, rows = evidence.settings.kinds
    if not any(setting in row.varied for row in rows):
        return np.asarray(numbered(evidence.runs.seed)[0], np.int64)
    of_kinds: dict[Any, int] = {}
    rest = np.array([of_kinds.setdefault(_rest_of(row, setting), len(of_kinds)) for row in rows], np.int64)
    return np.asarray(numbered(rest[kinds], evidence.runs.seed)[0], np.int64)


def _counted(counts: Floats) -> tuple[Sequence[Value | None], Whole]:
    """Return counts (None: not known), those that are near each other as the middle one of them, and each run's."""
    known = np.unique(counts[np.isfinite(counts)])
    groups = next((found for factor in NEAR if len(found := _groups(known, factor)) <= MOST_VALUES), [])
    middles = {value: float(np.median(group)) for group in groups for value in group.tolist()}
    different, places = np.unique(counts, return_inverse=True)
    return [middles.get(count) for count in different.tolist()], places


def _groups(values: Floats, factor: float) -> list[Floats]:
    """Cut sorted values into groups none of which reaches further than a factor from its least."""
    groups: list[Floats] = []
    start = 0
    while start < len(values):
        end = max(start + 1, int(np.searchsorted(values, values[start] * factor, side="right")))
        groups.append(values[start:end])
        start = end
    return groups


def _value_of(evidence: Evidence, setting: str, row: RunRow) -> Value | None:
    if setting in row.varied:
        value: Value = row.varied[setting]
        return value
    task = evidence.settings.tasks.get(row.task)
    fact: Value | None = task.facts.get(setting) if task is not None else None
    return fact if fact is not None else evidence.settings.of_run(row, setting)


def _rest_of(row: RunRow, setting: str) -> tuple[Any, ...]:
    others = sorted((name, repr(value)) for name, value in row.varied.items() if name != setting)
    return row.task, *others


def _settings_with_values(evidence: Evidence) -> list[str]:
    """Return the names that a curve can be drawn over."""
    names: dict[str, None] = dict.fromkeys(evidence.settings.varied_values)
    for task in evidence.settings.tasks.values():
        names |= dict.fromkeys((*task.facts, *task.settings))
    for variant in evidence.variants:
        names |= dict.fromkeys(variant.settings)
    rows = evidence.settings.kinds[1]
    counts = [name for name in COUNTS if len(np.unique(_known(evidence.values.of(name)))) > 1]
    return [
        *(name for name in names if len({_value_of(evidence, name, row) for row in rows} - {None}) > 1),
        *(name for name in counts if name not in names),
    ]


def _known(values: Floats) -> Floats:
    return values[np.isfinite(values)]
