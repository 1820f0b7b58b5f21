"""Runs by the 100,000: held as columns, as they come from the database; a row is made where one is asked for."""

import gc
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from functools import cached_property
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar, overload

from unvek.core.logbook.rows import RunRow

if TYPE_CHECKING:  # a list of runs wants no NumPy
    import numpy as np
    from numpy.typing import NDArray

Values = Sequence[Any]


class Coded(NamedTuple):
    """A column of few different values: (n,) one code a row, and the value that each code stands for."""

    codes: "NDArray[np.int64]"
    values: Values

    def where(self, fits: Callable[[Any], bool]) -> "NDArray[np.bool_]":
        """Return (n,) whether each row's value fits; each different value is looked at once."""
        import numpy as np

        return np.array([fits(value) for value in self.values], bool)[self.codes]

    def counts(self) -> "Counter[Any]":
        """Return how often each value is there."""
        import numpy as np

        return Counter(dict(zip(self.values, np.bincount(self.codes).tolist(), strict=True)))

    def take(self, places: "NDArray[Any]") -> "Coded":
        """Return the column of some of the rows, with the values that are there."""
        import numpy as np

        codes = self.codes[places]
        there = np.bincount(codes, minlength=len(self.values)) > 0
        values = tuple(value for value, is_there in zip(self.values, there.tolist(), strict=True) if is_there)
        return Coded((np.cumsum(there) - 1)[codes], values)


class Columns:
    """Everything that was read: each column as a list, and as an array as soon as one is asked for."""

    def __init__(self, lists: Mapping[str, Values]):
        """lists: all of one length."""
        self.lists = lists
        self._arrays: dict[tuple[str, str], NDArray[Any]] = {}
        self._coded: dict[str, Coded] = {}

    def array(self, name: str, kind: str) -> "NDArray[Any]":
        """Return a column as an array of that kind of number, not to be written to."""
        import numpy as np

        if (name, kind) not in self._arrays:
            self._arrays[name, kind] = np.array(self.lists[name], kind)
            self._arrays[name, kind].flags.writeable = False
        return self._arrays[name, kind]

    def coded(self, name: str) -> Coded:
        import numpy as np

        if name not in self._coded:
            column = self.lists[name]
            # What is varied comes as one object for each different text, and can't be a key itself.
            keys = list(map(id, column)) if name == "varied" else column
            different = dict(zip(keys, column, strict=True))
            code_of = dict(zip(different, range(len(different)), strict=True))
            codes = np.fromiter(map(code_of.__getitem__, keys), np.int64, len(keys))
            self._coded[name] = Coded(codes, tuple(different.values()))
        return self._coded[name]


Row = TypeVar("Row", bound=RunRow, covariant=True)


class RunTable(Sequence[Row]):
    """A sequence of runs, as RunRow or KeptRun, that gives their columns at once."""

    def __init__(self, columns: Columns, row: type[Row], places: "NDArray[np.int64] | None" = None):
        """columns: one for each field of `row`. places: which rows of them this table is of, all if None."""
        self._columns = columns
        self._row = row
        self._places = places
        self._picked: dict[str, Values] = {}

    def column(self, name: str) -> Values:
        """Return one value a row."""
        whole = self._columns.lists[name]
        if self._places is None:
            return whole
        if name not in self._picked:
            self._picked[name] = [whole[place] for place in self._places.tolist()]
        return self._picked[name]

    def numbers(self, name: str) -> "NDArray[np.float64]":
        """Return (n,) one number a row, NaN where nothing is known."""
        return self._of_these(self._columns.array(name, "float64"))

    def whole_numbers(self, name: str) -> "NDArray[np.int64]":
        """Return (n,) one number a row, of a column that is known of every run."""
        return self._of_these(self._columns.array(name, "int64"))

    def coded(self, name: str) -> Coded:
        """Return a column of few different values as codes."""
        whole = self._columns.coded(name)
        return whole if self._places is None else whole.take(self._places)

    def take(self, places: "NDArray[np.int64]") -> "RunTable[Row]":
        """Return the table of these rows, which are in order and each there once."""
        if len(places) == len(self):
            return self
        return RunTable(self._columns, self._row, places if self._places is None else self._places[places])

    def _of_these(self, array: "NDArray[Any]") -> "NDArray[Any]":
        return array if self._places is None else array[self._places]

    def __len__(self) -> int:
        return len(next(iter(self._columns.lists.values()))) if self._places is None else len(self._places)

    @overload
    def __getitem__(self, place: int) -> Row: ...
    @overload
    def __getitem__(self, place: slice) -> Sequence[Row]: ...
    def __getitem__(self, place: int | slice) -> Row | Sequence[Row]:
        if isinstance(place, slice):
            return self._rows[place]
        at = int(place if self._places is None else self._places[place])
        return self._row(**{name: column[at] for name, column in self._columns.lists.items()})

    def __iter__(self) -> Iterator[Row]:
        return iter(self._rows)

    @cached_property
    def _rows(self) -> list[Row]:
        names = tuple(self._columns.lists)
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
