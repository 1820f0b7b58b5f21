"""Columns of runs as arrays: a million rows have room in a process, and are read in blocks."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import fields
from typing import Any, get_type_hints

import numpy as np
from numpy.typing import NDArray

from unvek.core.logbook.rows import RunRow, kind_of
from unvek.core.logbook.run_columns import Coded, Values

WHOLE, TRUTH, REAL, CODED = "whole", "truth", "real", "coded"


def _sort_of(hint: Any) -> tuple[str, bool]:
    """Return how a field is held, and whether its values are whole numbers."""
    kind, is_optional = kind_of(hint)
    if kind is bool:
        return TRUTH, False
    if kind is int:
        return (REAL if is_optional else WHOLE), True
    return (REAL if kind is float else CODED), False


HELD_AS = {WHOLE: np.int64, TRUTH: np.uint8, REAL: np.float64, CODED: np.int32}
_HINTS = get_type_hints(RunRow)
SORTS: Mapping[str, tuple[str, bool]] = {one.name: _sort_of(_HINTS[one.name]) for one in fields(RunRow)}


class ArrayColumns:
    """The columns of a RunRow as arrays: numbers as numbers (NaN where unknown), all else as codes."""

    def __init__(self, arrays: Mapping[str, NDArray[Any] | Coded], length: int):
        """arrays: by column, each of this length, held as `SORTS` says."""
        self._arrays, self._length = arrays, length
        self._coded: dict[str, Coded] = {}

    @property
    def names(self) -> tuple[str, ...]:
        return tuple(SORTS)

    def __len__(self) -> int:
        return self._length

    def raw(self, name: str) -> NDArray[Any] | Coded:
        return self._arrays[name]

    def array(self, name: str, kind: str) -> NDArray[Any]:
        found = self._arrays[name]
        assert not isinstance(found, Coded), f"{name} is no number"
        return found.astype(kind, copy=False)

    def coded(self, name: str) -> Coded:
        found = self._arrays[name]
        if isinstance(found, Coded):
            return found
        if name not in self._coded:
            different, codes = np.unique(found, return_inverse=True)
            self._coded[name] = Coded(codes, _as_values(name, different))
        return self._coded[name]

    def values(self, name: str, places: NDArray[np.int64] | None = None) -> Values:
        found = self._arrays[name]
        if isinstance(found, Coded):
            codes = found.codes if places is None else found.codes[places]
            return [found.values[code] for code in codes.tolist()]
        return _as_values(name, found if places is None else found[places])

    def value(self, name: str, place: int) -> Any:
        found = self._arrays[name]
        if isinstance(found, Coded):
            return found.values[found.codes[place]]
        return _as_values(name, found[place : place + 1])[0]

    def followed_by(self, more: "ArrayColumns") -> "ArrayColumns":
        """Return these rows and then the others; the columns are put together when they are asked for."""
        return ArrayColumns(_Joined(self, more), len(self) + len(more))


class _Joined(Mapping[str, Any]):
    """The columns of two, one after the other."""

    def __init__(self, first: ArrayColumns, second: ArrayColumns):
        self._first, self._second = first, second
        self._found: dict[str, Any] = {}

    def __getitem__(self, name: str) -> Any:
        if name not in self._found:
            ours, theirs = self._first.raw(name), self._second.raw(name)
            if isinstance(ours, Coded) and isinstance(theirs, Coded):
                self._found[name] = _joined_codes(ours, theirs)
            else:
                self._found[name] = np.concatenate([np.asarray(ours), np.asarray(theirs)])
        return self._found[name]

    def __iter__(self) -> Iterator[str]:
        return iter(SORTS)

    def __len__(self) -> int:
        return len(SORTS)


def _joined_codes(ours: Coded, theirs: Coded) -> Coded:
    code_of = {repr(value): code for code, value in enumerate(ours.values)}
    values = list(ours.values)
    for value in theirs.values:
        if repr(value) not in code_of:
            code_of[repr(value)] = len(values)
            values.append(value)
    now = np.array([code_of[repr(value)] for value in theirs.values], HELD_AS[CODED])
    return Coded(np.concatenate([ours.codes, now[theirs.codes]]), tuple(values))


def _as_values(name: str, numbers: NDArray[Any]) -> list[Any]:
    sort, is_whole = SORTS[name]
    values = numbers.tolist()
    if sort == TRUTH:
        return list(map(bool, values))
    if sort != REAL:
        return list(values)
    return [None if value != value else int(value) if is_whole else value for value in values]


class ColumnsBuilding:
    """Rows as they come from the database, taken block by block into arrays."""

    def __init__(self, names: Sequence[str]):
        """names: of the columns, in the order in which they come."""
        self._names = names
        self._blocks: dict[str, list[NDArray[Any]]] = {name: [] for name in names}
        self._codes: dict[str, dict[Any, int]] = {name: {} for name in names if SORTS[name][0] == CODED}
        self._length = 0

    def take(self, rows: Sequence[Sequence[Any]]) -> None:
        """Take rows in; ValueError or TypeError where a column holds what it can't."""
        self._length += len(rows)
        for name, values in zip(self._names, zip(*rows, strict=True), strict=True):
            sort, _ = SORTS[name]
            if sort == CODED:
                code_of = self._codes[name]
                for value in dict.fromkeys(values):  # in the order in which they come: sums are then always the same
                    code_of.setdefault(value, len(code_of))
                block = np.fromiter(map(code_of.__getitem__, values), HELD_AS[sort], len(values))
            else:
                block = np.array(values, HELD_AS[sort])
            self._blocks[name].append(block)

    def whole(self, change: Mapping[str, Callable[[Any], Any]], rigs: Mapping[int, str]) -> ArrayColumns:
        """Return all that was taken.

        change makes of what stands in the database what it stands for, by column; rigs are those of launches.
        """
        arrays: dict[str, Any] = {}
        for name in self._names:
            blocks = self._blocks.pop(name)
            arrays[name] = self._as_column(name, blocks, change.get(name))
        launches, places = np.unique(arrays["launch"], return_inverse=True)
        of_launches = [rigs[launch] for launch in launches.tolist()]
        code_of = {rig: code for code, rig in enumerate(dict.fromkeys(of_launches))}
        codes = np.array([code_of[rig] for rig in of_launches], HELD_AS[CODED])
        arrays["rig"] = Coded(codes[places], tuple(code_of))
        return ArrayColumns(arrays, self._length)

    def _as_column(self, name: str, blocks: list[NDArray[Any]], change: Callable[[Any], Any] | None) -> Any:
        array = np.concatenate(blocks) if blocks else np.zeros(0, HELD_AS[SORTS[name][0]])
        array.flags.writeable = False
        if name not in self._codes:
            return array
        values: Iterable[Any] = self._codes[name]
        return Coded(array, tuple(values if change is None else map(change, values)))
