"""The median of very many times, in little room: of two million a sorted list of them would hold 64 MB."""

import struct
from array import array
from bisect import bisect_right
from collections.abc import Sequence
from statistics import StatisticsError, median
from typing import overload

MANY = 100_000  # from which on it is worth it, and how many are sorted at a time
SIGN = 1 << 63


class InOrder(Sequence[float]):
    """Finite numbers in their order, sorted in pieces: one is found by halving where it may be."""

    def __init__(self, values: Sequence[float]):
        self._pieces = [array("d", sorted(values[start : start + MANY])) for start in range(0, len(values), MANY)]
        self._count = len(values)

    def __len__(self) -> int:
        return self._count

    @overload
    def __getitem__(self, place: int) -> float: ...
    @overload
    def __getitem__(self, place: slice) -> Sequence[float]: ...
    def __getitem__(self, place: int | slice) -> float | Sequence[float]:
        if isinstance(place, slice):
            return [self[at] for at in range(*place.indices(self._count))]
        place = range(self._count)[place]
        low = min(_as_whole(piece[0]) for piece in self._pieces)
        high = max(_as_whole(piece[-1]) for piece in self._pieces)
        while low < high:
            middle = (low + high) // 2
            value = _as_real(middle)
            if sum(bisect_right(piece, value) for piece in self._pieces) > place:
                high = middle
            else:
                low = middle + 1
        return _as_real(low)

    @property
    def median(self) -> float:
        """The same as `statistics.median` to the last digit; StatisticsError where there is none."""
        if not self._count:
            raise StatisticsError("no median of no numbers")
        middle = self._count // 2
        return self[middle] if self._count % 2 else (self[middle - 1] + self[middle]) / 2


def median_of(values: Sequence[float]) -> float:
    """Return the median of finite numbers; StatisticsError for none."""
    return median(values) if len(values) <= MANY else InOrder(values).median


def _as_whole(value: float) -> int:
    """Return a whole number that is larger for a larger number, with none between those of neighbours."""
    bits: int = struct.unpack("<Q", struct.pack("<d", value))[0]
    return bits if bits < SIGN else SIGN - bits


def _as_real(whole: int) -> float:
    found: float = struct.unpack("<d", struct.pack("<Q", whole if whole >= 0 else SIGN - whole))[0]
    return found
