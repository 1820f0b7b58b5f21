"""Measured values as arrays, and what has none, with the reason."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

# Why a run has no value: where that is no fault, and where it may be one.
WANTS_NOTHING = "its task wants nothing of a text"
ONE_SEED = "its task has one seed: there is no other to hold it against"
EXPECTS_NOTHING = "its task expects nothing"
NO_FAULT = (WANTS_NOTHING, EXPECTS_NOTHING, ONE_SEED)


@dataclass(frozen=True, slots=True)
class Measurements:
    """(n,) the numbers of runs, of definitions and of the runs held against (0: none), and the values (NaN: none)."""

    runs: NDArray[np.int64]
    definitions: NDArray[np.int64]
    against: NDArray[np.int64]
    values: NDArray[np.float64]

    @classmethod
    def of(
        cls, runs: Sequence[int], definitions: Sequence[int], against: Sequence[int], values: Sequence[float | None]
    ) -> "Measurements":
        return cls(
            np.array(runs, np.int64), np.array(definitions, np.int64), np.array(against, np.int64),
            np.array(values, np.float64),
        )  # fmt: skip

    def and_also(self, more: "Measurements") -> "Measurements":
        return Measurements(
            np.r_[self.runs, more.runs],
            np.r_[self.definitions, more.definitions],
            np.r_[self.against, more.against],
            np.r_[self.values, more.values],
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class Without:
    """A run of which a measure has no value, and why. `lasts` says whether that will stay so: a file may come back."""

    name: str
    run: int
    why: str
    lasts: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class PoorOutputs:
    """A variant all of whose outputs of one sort ("picture", "text") are the same, whatever is asked, or blank."""

    variant: str
    sort: str
    what: str
