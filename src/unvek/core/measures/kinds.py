"""The kinds of measure that a plan may ask for, one value each: the one place where a kind is added.

A kind says what sort of output it reads, what that is held against, which options it takes, and names the function that
works it out. The functions stand in one module a sort and are looked up when one is called: who only reads a plan needs
no NumPy.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from importlib import import_module
from types import MappingProxyType

from unvek.core.measures.definition import LESS, MEAN, MEDIAN, MORE, SUMMED_UP, Definition, Measure

PICTURES, TEXTS, SCORES = "pictures", "texts", "scores"  # the sorts of output that a kind reads
NUMBERS = "numbers"  # what the model's side told: nothing is worked out
REFERENCE, WANTED, NOTHING = (
    "the reference's output",
    "what the task wants",
    "nothing",
)  # what an output is held against
RENAMED = MappingProxyType({"contains": "holds"})  # kinds by the names that they had


@dataclass(frozen=True, slots=True, kw_only=True)
class Option:
    """Something that a plan may say of a measure of some kind: one of `choices`, or a short text where there are none.

    With `is_read_only` it says how values are read, and not what they are: it is no part of what tells them apart.
    """

    name: str
    choices: tuple[str, ...] = ()
    default: str | None = None
    is_read_only: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Kind:
    """One kind. `version` goes up when its function comes to give other values: all are then worked out anew.

    counted_by: the kind that says how many tokens a value is of, where those of many texts come to one over all tokens.
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

    @property
    def is_likeness(self) -> bool:
        return self.against == REFERENCE

    def definition(self, options: Mapping[str, str] = MappingProxyType({}), wanted: Sequence[str] = ()) -> Definition:
        """Return what a value of this kind is, with these options and, where they count, these wanted texts."""
        chosen = {option.name: options.get(option.name, option.default) for option in self.options}
        return Definition(
            kind=self.name,
            version=self.version,
            options={
                option.name: value
                for option in self.options
                if not option.is_read_only and option.name != "unit" and (value := chosen[option.name]) is not None
            },
            wanted=tuple(wanted) if self.against == WANTED else (),
            unit=chosen.get("unit") or self.unit,
            better=chosen.get("better", self.better),
            summed_up=chosen.get("summed_up") or self.summed_up,
        )

    def measure(self, name: str, options: Mapping[str, str] = MappingProxyType({})) -> Measure:
        """Return the measure that a plan asks for under a name of its own."""
        return self.definition(options).measure(name)

    def work_out(self, *arguments: object) -> float:
        """Return the value of an output (and of what it is held against); ValueError where there is none."""
        module, _, name = self.function.partition(":")
        found: Callable[..., float] = getattr(import_module(f"unvek.core.measures.{module}"), name)
        return found(*arguments)


_TOLD_OPTIONS = (
    Option(name="unit"),
    Option(name="better", choices=(LESS, MORE), is_read_only=True),
    Option(name="summed_up", choices=SUMMED_UP, default=MEDIAN, is_read_only=True),
)

KINDS: Mapping[str, Kind] = MappingProxyType(
    {
        kind.name: kind
        for kind in (
            Kind(name="ssim", of=PICTURES, function="image:ssim"),
            Kind(name="psnr", of=PICTURES, function="image:psnr", unit="dB"),
            Kind(name="edit", of=TEXTS, function="text:edit"),
            Kind(name="exact", of=TEXTS, function="text:exact", summed_up=MEAN),
            Kind(name="holds", of=TEXTS, function="text:holds", against=WANTED, summed_up=MEAN),
            Kind(
                name="perplexity",
                of=SCORES,
                function="scores:perplexity",
                against=NOTHING,
                better=LESS,
                counted_by="scored",
            ),
            Kind(name="scored", of=SCORES, function="scores:scored", against=NOTHING, better=None),
            Kind(name="kl", of=SCORES, function="scores:kl", unit="nats", better=LESS),
            Kind(name="top1", of=SCORES, function="scores:top1"),
            Kind(name="told", of=NUMBERS, against=NOTHING, better=None, options=_TOLD_OPTIONS),
        )
    }
)
