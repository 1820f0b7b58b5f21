"""What a kind of measure is: which outputs it reads, what these are held against, and which options it takes."""

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from importlib import import_module
from types import MappingProxyType

from unvek.core.measures.definition import MEAN, MEDIAN, MORE, SHARE, Definition

# The sorts of output that a kind reads.
PICTURES, SOUNDS, TEXTS, SCORES, ARRAYS = "pictures", "sounds", "texts", "scores", "arrays"
FILES = "files"  # any of these, handed on as a file
NUMBERS = "numbers"  # what the model's side told: nothing is worked out
VERDICTS = "verdicts"  # what somebody says of outputs
# What an output is held against.
REFERENCE, WANTED, OTHER_SEEDS, NOTHING = (
    "the reference's output",
    "what the task wants",
    "the same variant's outputs of other seeds",
    "nothing",
)
# How a plan writes an option.
TEXT, NUMBER, WORDS, TRUTH, DURATION, SIZE, FILE = "text", "number", "words", "truth", "duration", "size", "file"
YES = "yes"  # of a TRUTH


@dataclass(frozen=True, slots=True, kw_only=True)
class Option:
    """Something that a plan may say of a measure of some kind: one of `choices`, or as `written` where there are none.

    With `is_read_only` it says how values are read, and not what they are: it is no part of what tells them apart. With
    `for_function` the kind's function takes it.
    """

    name: str
    choices: tuple[str, ...] = ()
    default: str | None = None
    written: str = TEXT
    longest: int = 20  # characters of a text
    is_needed: bool = False
    is_read_only: bool = False
    for_function: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Kind:
    """One kind. `version` goes up when its function comes to give other values: all are then worked out anew.

    counted_by: the kind that says how many tokens a value is of, where those of many texts come to one over all tokens.
    takes_rate: the function is handed the samples a second too. wants_any: where a task wants nothing it has no value.
    same: of a likeness, what an output held against itself comes to.
    asks: a value is the answer of a program of the user's, which may be several numbers, each under a name of its own.
    """

    name: str
    of: str
    against: str = REFERENCE
    function: str = ""  # MODULE:NAME, of this room
    unit: str = ""
    better: str | None = MORE
    summed_up: str = MEDIAN
    options: tuple[Option, ...] = ()
    version: int = 1
    counted_by: str | None = None
    takes_rate: bool = False
    wants_any: bool = True
    same: float | None = None
    asks: bool = False

    @property
    def is_likeness(self) -> bool:
        """Whether it is always held against the reference's output; of what `asks`, see `held_against`."""
        return self.against == REFERENCE

    def held_against(self, options: Mapping[str, str]) -> str:
        """Return what an output is held against, with these options: a program is handed what its command names."""
        if not self.asks:
            return self.against
        names_reference = "{reference}" in options.get("command", "") or options.get("against") == "reference"
        return REFERENCE if names_reference else NOTHING

    def definition(self, options: Mapping[str, str] = MappingProxyType({}), wanted: Sequence[str] = ()) -> Definition:
        """Return what a value of this kind is, with these options and, where they count, these wanted texts."""
        chosen = {option.name: options.get(option.name, option.default) for option in self.options}
        passes, points = (chosen.get(name) == YES for name in ("pass", "points"))
        usual_better = MORE if passes or points else self.better
        usual_sum = SHARE if passes else MEAN if points else self.summed_up
        return Definition(
            kind=self.name,
            version=self.version,
            options={
                option.name: value
                for option in self.options
                if not option.is_read_only and option.name != "unit" and (value := chosen[option.name]) is not None
            },
            wanted=tuple(wanted) if self.against == WANTED or points else (),
            unit=chosen.get("unit") or self.unit,
            better=chosen.get("better") or usual_better,
            summed_up=chosen.get("summed_up") or usual_sum,
        )

    def work_out(self, *arguments: object, options: Mapping[str, str] = MappingProxyType({})) -> float:
        """Return the value of an output (and of what it is held against); ValueError where there is none."""
        module, _, name = self.function.partition(":")
        found: Callable[..., float] = getattr(import_module(f"unvek.core.measures.{module}"), name)
        taken = {
            option.name: options.get(option.name, option.default) for option in self.options if option.for_function
        }
        return found(*arguments, **taken)


def as_words(value: str) -> list[str]:
    """Return the list that an option of WORDS stands for."""
    return [str(word) for word in json.loads(value)]
