"""What a measured value is: worked out how, with which options, from what. Two definitions are two measures.

A value is only ever shown under a name where its definition is the one that goes with that name.
"""

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass, field

LESS, MORE = "less", "more"  # which is better
MEDIAN, MEAN, SHARE = "median", "mean", "share"  # how the values of many runs are summed up
SUMMED_UP = (MEDIAN, MEAN, SHARE)
DIGEST_CHARACTERS = 24

# What values are that no kind of a plan's measure stands behind: Unvek's own, and such as came with an imported file.
MEASURED_HERE, BROUGHT = "measured", "imported"

# How a value was come by.
MEASURED, WORKED_OUT, TOLD, PROGRAM, JUDGE, PERSON, IMPORTED, BY_HAND = (
    "measured", "worked-out", "told", "program", "judge", "person", "imported", "by-hand",
)  # fmt: skip
ORIGINS = (MEASURED, WORKED_OUT, TOLD, PROGRAM, JUDGE, PERSON, IMPORTED, BY_HAND)


@dataclass(frozen=True, slots=True, kw_only=True)
class Measure:
    """A named number about a run. `better` is LESS, MORE, or None where neither is."""

    name: str
    unit: str
    better: str | None
    summed_up: str = MEDIAN

    @property
    def averaged(self) -> bool:
        """Whether many values come to their mean: of shares that are mostly whole the median would say nothing."""
        return self.summed_up != MEDIAN

    @property
    def adds_up(self) -> bool:
        """Whether of two runs, one after the other, there is as much as of both: of times and energies."""
        return self.unit in ("s", "J")

    @property
    def is_speed(self) -> bool:
        """Whether more or less of it is faster or slower, rather than better or worse."""
        return self.unit in ("s", "/s")


@dataclass(frozen=True, slots=True, kw_only=True)
class Definition:
    """What a value is. How it is read (better, summed_up) goes with it, and is no part of what tells it apart."""

    kind: str
    version: int = 1
    options: Mapping[str, str] = field(default_factory=dict)
    wanted: tuple[str, ...] = ()
    unit: str = ""
    better: str | None = None
    summed_up: str = MEDIAN

    @property
    def digest(self) -> str:
        """The same for values that may stand under one name, and for no others."""
        made_of = [self.kind, self.version, sorted(self.options.items()), self.wanted, self.unit]
        return hashlib.sha256(json.dumps(made_of).encode()).hexdigest()[:DIGEST_CHARACTERS]

    @property
    def family(self) -> tuple[object, ...]:
        """What is alike for all tasks: values of one measure differ in what their tasks want, and in nothing else."""
        return self.kind, self.version, tuple(sorted(self.options.items())), self.unit

    def measure(self, name: str) -> Measure:
        return Measure(name=name, unit=self.unit, better=self.better, summed_up=self.summed_up)
