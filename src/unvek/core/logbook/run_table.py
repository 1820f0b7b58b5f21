"""Runs by the 100,000: held as columns, as they come from the database; a row is made where one is asked for."""

import gc
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from functools import cached_property
from typing import TYPE_CHECKING, Any, TypeVar, overload

from unvek.core.logbook.rows import RunRow
from unvek.core.logbook.run_columns import Coded, Columns, Values

if TYPE_CHECKING:  # a list of runs wants no NumPy
    import numpy as np
    from numpy.typing import NDArray

Row = TypeVar("Row", bound=RunRow, covariant=True)


class RunTable(Sequence[Row]):
    """A sequence of runs, as RunRow or KeptRun, that gives their columns at once."""

    def __init__(self, columns: Columns, row: type[Row], places: "NDArray[np.int64] | None" = None):
        """columns: one for each field of `row`. places: which rows of them this table is of, all if None."""
        self._columns = columns
        self._row = row
        self._places = places
        self._picked: dict[str, Values] = {}
        self._coded: dict[str, Coded] = {}

    def column(self, name: str) -> Values:
        """Return one value a row."""
        if name not in self._picked:
            self._picked[name] = self._columns.values(name, self._places)
        return self._picked[name]

    def numbers(self, name: str) -> "NDArray[np.float64]":
        """Return (n,) one number a row, NaN where nothing is known."""
        return self._of_these(self._columns.array(name, "float64"))

    def whole_numbers(self, name: str) -> "NDArray[np.int64]":
        """Return (n,) one number a row, of a column that is known of every run."""
        return self._of_these(self._columns.array(name, "int64"))

    def coded(self, name: str) -> Coded:
        """Return a column of few different values as codes."""
        if name not in self._coded:
            whole = self._columns.coded(name)
            self._coded[name] = whole if self._places is None else whole.take(self._places)
        return self._coded[name]

    def take(self, places: "NDArray[np.int64]") -> "RunTable[Row]":
        """Return the table of these rows, which are in order and each there once."""
        if len(places) == len(self):
            return self
        return RunTable(self._columns, self._row, places if self._places is None else self._places[places])

    def _of_these(self, array: "NDArray[Any]") -> "NDArray[Any]":
        return array if self._places is None else array[self._places]

    def __len__(self) -> int:
        return len(self._columns) if self._places is None else len(self._places)

    @overload
    def __getitem__(self, place: int) -> Row: ...
    @overload
    def __getitem__(self, place: slice) -> Sequence[Row]: ...
    def __getitem__(self, place: int | slice) -> Row | Sequence[Row]:
        if isinstance(place, slice):
            return self._rows[place]
        place = range(len(self))[place]
        at = int(place if self._places is None else self._places[place])
        return self._row(**{name: self._columns.value(name, at) for name in self._columns.names})

    def __iter__(self) -> Iterator[Row]:
        return iter(self._rows)

    @cached_property
    def _rows(self) -> list[Row]:
        names = self._columns.names
        columns = [self.column(name) for name in names]
        with uncollected():
            return [self._row(**dict(zip(names, values, strict=True))) for values in zip(*columns, strict=True)]


@contextmanager
def uncollected() -> Iterator[None]:
    """Keep the garbage collector out while many rows are made: it would go through all of them again and again."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()
