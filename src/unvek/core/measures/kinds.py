"""The kinds of measure that a plan may ask for, one value each: the one place where a kind is added.

A kind says what sort of output it reads, what that is held against, which options it takes, and names the function that
works it out. The functions stand in one module a sort and are looked up when one is called: who only reads a plan needs
no NumPy.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from importlib import import_module
from types import MappingProxyType

from unvek.core.measures.definition import LESS, MEAN, MEDIAN, MORE, SHARE, SUMMED_UP, Definition, Measure

# The sorts of output that a kind reads.
PICTURES, SOUNDS, TEXTS, SCORES, ARRAYS = "pictures", "sounds", "texts", "scores", "arrays"
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

    With `is_read_only` it says how values are read, and not what they are: it is no part of what tells them apart. With
    `for_function` the kind's function takes it, a number from 0 on.
    """

    name: str
    choices: tuple[str, ...] = ()
    default: str | None = None
    is_read_only: bool = False
    for_function: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Kind:
    """One kind. `version` goes up when its function comes to give other values: all are then worked out anew.

    counted_by: the kind that says how many tokens a value is of, where those of many texts come to one over all tokens.
    takes_rate: the function is handed the samples a second too. wants_any: where a task wants nothing it has no value.
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
            better=chosen.get("better") or self.better,
            summed_up=chosen.get("summed_up") or self.summed_up,
        )

    def measure(self, name: str, options: Mapping[str, str] = MappingProxyType({})) -> Measure:
        """Return the measure that a plan asks for under a name of its own."""
        return self.definition(options).measure(name)

    def work_out(self, *arguments: object, options: Mapping[str, str] = MappingProxyType({})) -> float:
        """Return the value of an output (and of what it is held against); ValueError where there is none."""
        module, _, name = self.function.partition(":")
        found: Callable[..., float] = getattr(import_module(f"unvek.core.measures.{module}"), name)
        taken = {
            option.name: options.get(option.name, option.default) for option in self.options if option.for_function
        }
        return found(*arguments, **taken)


OUTPUT = "output"
_OF_EVERY_KIND = (
    Option(name=OUTPUT),  # a pattern: which of the files of a run
    Option(name="better", choices=(LESS, MORE), is_read_only=True),
)
_TOLD_OPTIONS = (
    Option(name="unit"),
    Option(name="better", choices=(LESS, MORE), is_read_only=True),
    Option(name="summed_up", choices=SUMMED_UP, default=MEDIAN, is_read_only=True),
)

KINDS: Mapping[str, Kind] = MappingProxyType(
    {
        kind.name: kind if kind.of == NUMBERS else replace(kind, options=(*kind.options, *_OF_EVERY_KIND))
        for kind in (
            Kind(name="ssim", of=PICTURES, function="image:ssim"),
            Kind(name="psnr", of=PICTURES, function="image:psnr", unit="dB"),
            Kind(name="colour", of=PICTURES, function="image:colour", better=LESS),
            Kind(name="sharpness", of=PICTURES, function="image:sharpness", against=NOTHING, better=None),
            Kind(name="flicker", of=PICTURES, function="frames:flicker", against=NOTHING, better=LESS),
            Kind(
                name="bad-frames",
                of=PICTURES,
                function="frames:bad_frame_count",
                against=NOTHING,
                better=LESS,
                summed_up=MEAN,
            ),
            Kind(name="frame-count", of=PICTURES, function="frames:frame_count", against=NOTHING, better=None),
            Kind(name="snr", of=SOUNDS, function="sound:snr", unit="dB"),
            Kind(
                name="spectral-distance",
                of=SOUNDS,
                function="sound:spectral_distance",
                unit="dB",
                better=LESS,
                takes_rate=True,
            ),
            Kind(name="clipping", of=SOUNDS, function="sound:clipping", against=NOTHING, better=LESS, summed_up=MEAN),
            Kind(name="silence", of=SOUNDS, function="sound:silence", against=NOTHING, better=None, takes_rate=True),
            Kind(name="loudness", of=SOUNDS, function="sound:loudness", against=NOTHING, better=None, unit="dB"),
            Kind(name="relative-l2", of=ARRAYS, function="array:relative_l2", better=LESS),
            Kind(name="cosine", of=ARRAYS, function="array:cosine"),
            Kind(name="largest-difference", of=ARRAYS, function="array:largest_difference", better=LESS),
            Kind(name="rouge-l", of=TEXTS, function="text:rouge_l"),
            Kind(name="loop", of=TEXTS, function="text:loop", against=NOTHING, better=LESS, summed_up=MEAN),
            Kind(name="length", of=TEXTS, function="text:length", against=NOTHING, better=None),
            Kind(
                name="parses",
                of=TEXTS,
                function="text:parses",
                against=WANTED,
                summed_up=SHARE,
                wants_any=False,
            ),
            Kind(
                name="answer",
                of=TEXTS,
                function="text:answer",
                against=WANTED,
                summed_up=SHARE,
                options=(Option(name="tolerance", default="0", for_function=True),),
            ),
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
