"""Columns of runs: what can be asked of them, and how they are held as lists; array_columns.py holds a million."""

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, Any, NamedTuple, Protocol

if TYPE_CHECKING:  # a list of runs wants no NumPy
    import numpy as np
    from numpy.typing import NDArray

Values = Sequence[Any]


class Coded(NamedTuple):
    """A column of few different values: (n,) one code a row, and the value that each code stands for."""

    codes: "NDArray[np.int64] | NDArray[np.int32]"
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


class Columns(Protocol):
    """Every column of many runs."""

    @property
    def names(self) -> tuple[str, ...]: ...

    def __len__(self) -> int: ...

    def array(self, name: str, kind: str) -> "NDArray[Any]":
        """Return a column as an array of that kind of number, not to be written to."""

    def coded(self, name: str) -> Coded: ...

    def values(self, name: str, places: "NDArray[np.int64] | None" = None) -> Values:
        """Return one value a row, of some of the rows or of all."""

    def value(self, name: str, place: int) -> Any: ...


class ListColumns:
    """Each column as a list, and as an array as soon as one is asked for."""

    def __init__(self, lists: Mapping[str, Values]):
        """lists: all of one length."""
        self._lists = lists
        self._arrays: dict[tuple[str, str], NDArray[Any]] = {}
        self._coded: dict[str, Coded] = {}

    @property
    def names(self) -> tuple[str, ...]:
        return tuple(self._lists)

    def __len__(self) -> int:
        return len(next(iter(self._lists.values())))

    def array(self, name: str, kind: str) -> "NDArray[Any]":
        import numpy as np

        if (name, kind) not in self._arrays:
            self._arrays[name, kind] = np.array(self._lists[name], kind)
            self._arrays[name, kind].flags.writeable = False
        return self._arrays[name, kind]

    def coded(self, name: str) -> Coded:
        import numpy as np

        if name not in self._coded:
            column = self._lists[name]
            # What is varied comes as one object for each different text, and can't be a key itself.
            keys = list(map(id, column)) if name == "varied" else column
            different = dict(zip(keys, column, strict=True))
            code_of = dict(zip(different, range(len(different)), strict=True))
            codes = np.fromiter(map(code_of.__getitem__, keys), np.int64, len(keys))
            self._coded[name] = Coded(codes, tuple(different.values()))
        return self._coded[name]

    def values(self, name: str, places: "NDArray[np.int64] | None" = None) -> Values:
        whole = self._lists[name]
        return whole if places is None else [whole[place] for place in places.tolist()]

    def value(self, name: str, place: int) -> Any:
        return self._lists[name][place]
