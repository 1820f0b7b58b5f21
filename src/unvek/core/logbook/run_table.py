"""Runs by the 100,000: held as columns, as they come from the database; a row is made where one is asked for."""

import gc
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from functools import cached_property
from typing import TYPE_CHECKING, Any, overload

if TYPE_CHECKING:  # a list of runs wants no NumPy
    import numpy as np
    from numpy.typing import NDArray

Row = Mapping[str, Any]


class RunTable(Sequence[Row]):
    """A sequence of rows of the table `runs`, with the launch's rig, that gives its columns at once."""

    def __init__(self, columns: Mapping[str, Sequence[Any]], places: "NDArray[np.int64] | None" = None):
        """columns: all of one length; places: which rows of them this table is of, all if None."""
        self._columns = columns
        self._places = places
        self._picked: dict[str, Sequence[Any]] = {}

    def column(self, name: str) -> Sequence[Any]:
        """Return one value a row."""
        if self._places is None:
            return self._columns[name]
        if name not in self._picked:
            whole = self._columns[name]
            self._picked[name] = [whole[place] for place in self._places.tolist()]
        return self._picked[name]

    def take(self, places: "NDArray[np.int64]") -> "RunTable":
        """Return the table of these rows, which are in order and each there once."""
        if len(places) == len(self):
            return self
        return RunTable(self._columns, places if self._places is None else self._places[places])

    def __len__(self) -> int:
        return len(next(iter(self._columns.values()))) if self._places is None else len(self._places)

    @overload
    def __getitem__(self, place: int) -> Row: ...
    @overload
    def __getitem__(self, place: slice) -> Sequence[Row]: ...
    def __getitem__(self, place: int | slice) -> Row | Sequence[Row]:
        if isinstance(place, slice):
            return self._rows[place]
        at = int(place if self._places is None else self._places[place])
        return {name: column[at] for name, column in self._columns.items()}

    def __iter__(self) -> Iterator[Row]:
        return iter(self._rows)

    @cached_property
    def _rows(self) -> list[Row]:
        names = tuple(self._columns)
        columns = [self.column(name) for name in names]
        with uncollected():
            return [dict(zip(names, values, strict=True)) for values in zip(*columns, strict=True)]


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
