"""Arrays of seconds as bytes, the same on every machine: little-endian float64."""

import sys
from array import array
from collections.abc import Iterable
from math import isfinite


def pack_floats(values: Iterable[float]) -> bytes:
    if isinstance(values, array) and values.typecode == "d" and sys.byteorder == "little":
        return values.tobytes()  # of five million each copy takes 40 MB
    packed = array("d", values)
    if sys.byteorder == "big":
        packed.byteswap()
    return packed.tobytes()


def unpack_floats(data: bytes) -> tuple[float, ...]:
    return tuple(_unpacked(data))


def are_numbers(data: bytes) -> bool:
    """Whether what is packed is numbers, none of them infinite."""
    return isfinite(sum(_unpacked(data)))  # one that is not makes the sum so


def _unpacked(data: bytes) -> "array[float]":
    unpacked = array("d")
    unpacked.frombytes(data[: len(data) // 8 * 8])
    if sys.byteorder == "big":
        unpacked.byteswap()
    return unpacked
