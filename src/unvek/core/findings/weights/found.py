"""What was found of weights: what is in each file, how two differ, what would fit, and how far a forecast was off."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar

from unvek.core.rig.room import Room
from unvek.core.weights.beside import Beside
from unvek.core.weights.weighing import WeighedFile


@dataclass(frozen=True, slots=True, kw_only=True)
class Need:
    """What a model takes at a length, as it is or with its matrices at so many bits; None is not known.

    program_bytes: interpreter and libraries. needed_bytes adds up what is known; low and high hold with the least and
    the most that such models were seen to work in. fits: None where only one of these two would. over_layers: how many
    of the layers would spill, at least.
    """

    path: str
    bits: float
    is_as_it_is: bool
    length: int | None
    weights_bytes: int
    context_bytes: int | None
    working_bytes: float | None
    program_bytes: float | None
    needed_bytes: float
    low_bytes: float
    high_bytes: float
    room_bytes: int
    over_bytes: float
    over_layers: int | None
    fits: bool | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Foretold:
    """What a model that has run would have been said to take, from the others' runs alone, and what it took.

    off: foretold over measured, less 1: above 0 it took less than was said.
    """

    path: str
    variant: str
    measure: str
    length: int
    foretold_bytes: float
    low_bytes: float
    high_bytes: float
    measured_bytes: float
    off: float
    from_variants: int


@dataclass(frozen=True, slots=True, kw_only=True)
class WeightsFound:
    """Files as they were given. room and needs are there where it was asked what fits."""

    kind: ClassVar[str] = "weights"
    files: tuple[WeighedFile, ...]
    beside: tuple[Beside, ...] = ()
    room: Room | None = None
    needs: tuple[Need, ...] = ()
    foretold: tuple[Foretold, ...] = ()
    notes: tuple[str, ...] = ()

    def of_file(self, path: str) -> Mapping[tuple[float, bool], tuple[Need, ...]]:
        """Return a file's needs by the bits that they are of, each at every length."""
        rows: dict[tuple[float, bool], Any] = {}
        for need in self.needs:
            if need.path == path:
                rows.setdefault((need.bits, need.is_as_it_is), []).append(need)
        return {key: tuple(theirs) for key, theirs in rows.items()}
