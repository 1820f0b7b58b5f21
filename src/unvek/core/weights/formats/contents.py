"""What a weights file holds, as its header says: tensors by name, with what their data takes in the file."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from math import prod
from types import MappingProxyType
from typing import Any

from unvek.core.errors import InputError

MOST_TENSORS = 100_000  # of all files that are weighed together
MOST_DIMENSIONS = 64
LARGEST = 2**63  # elements or bytes beyond which a count is no count


class WeightsError(InputError):
    """A file that is no weights file, or whose header can't be true."""


@dataclass(frozen=True, slots=True)
class Tensor:
    """One tensor: `precision` as its format names it, `bits` of one element there (a block's scales among them)."""

    name: str
    precision: str
    bits: float
    shape: tuple[int, ...]
    size_bytes: int

    @property
    def elements(self) -> int:
        return prod(self.shape)


@dataclass(frozen=True, slots=True)
class Packed:
    """A matrix whose codes are packed: what is told of it beside its tensors. shape is empty where bits alone are."""

    bits: int
    shape: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Contents:
    """A weights file's header. `packed` are matrices by the name of the tensor that has their codes, or of its stem.

    beside: tensors that are a scale or zero points of another one, by name, where the file itself says so.
    settings: what the file, or a `config.json` beside it, says of the model's layers; numbers and texts as they are.
    elsewhere: the names of files beside this one in which data of its tensors lies.
    """

    format: str
    tensors: tuple[Tensor, ...]
    metadata: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    packed: Mapping[str, Packed] = field(default_factory=lambda: MappingProxyType({}))
    beside: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    settings: Mapping[str, Any] = field(default_factory=lambda: MappingProxyType({}))
    elsewhere: tuple[str, ...] = ()


def checked_shape(name: str, shape: object) -> tuple[int, ...]:
    """Return a shape that can be one; WeightsError for another."""
    if not isinstance(shape, list | tuple) or len(shape) > MOST_DIMENSIONS:
        count = len(shape) if isinstance(shape, list | tuple) else "no"
        raise WeightsError(f"the tensor {name[:80]!r} has {count} dimensions; wanted {MOST_DIMENSIONS} at most")
    if any(type(one) is not int or not 0 <= one < LARGEST for one in shape) or prod(shape) >= LARGEST:
        raise WeightsError(f"the tensor {name[:80]!r} has a shape that none can have")
    return tuple(shape)


def check_count(count: int) -> None:
    """Refuse more tensors than any model has."""
    if count > MOST_TENSORS:
        raise WeightsError(f"{count} tensors; at most {MOST_TENSORS} can be looked at")
