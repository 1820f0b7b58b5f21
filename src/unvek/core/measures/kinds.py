"""The kinds of measure that a plan may ask for, one value each: the one place where a kind is added.

A kind says what sort of output it reads, what that is held against, which options it takes, and names the function that
works it out. The functions stand in one module a sort and are looked up when one is called: who only reads a plan needs
no NumPy.
"""

from collections.abc import Mapping
from dataclasses import replace
from types import MappingProxyType

from unvek.core.measures.definition import LESS, MEAN, MEDIAN, MORE, SHARE, SUMMED_UP
from unvek.core.measures.kind import (
    ARRAYS,
    DURATION,
    FILE,
    FILES,
    NOTHING,
    NUMBER,
    NUMBERS,
    OTHER_SEEDS,
    PICTURES,
    SCORES,
    SIZE,
    SOUNDS,
    TEXTS,
    TRUTH,
    VERDICTS,
    WANTED,
    WORDS,
    Kind,
    Option,
)

RENAMED = MappingProxyType({"contains": "holds"})  # kinds by the names that they had
# What a spread may be measured by: likenesses, which are turned round, and distances.
DISTANCES = ("ssim", "colour", "edit", "rouge-l", "spectral-distance", "relative-l2", "cosine")
OUTPUT = "output"
_OF_EVERY_KIND = (
    Option(name=OUTPUT),  # a pattern: which of the files of a run
    Option(name="better", choices=(LESS, MORE), is_read_only=True),
)
_ASKED_OPTIONS = (
    Option(name="points", written=TRUTH),
    Option(name="time_limit", written=DURATION, default="10"),
    Option(name="memory_limit", written=SIZE, default=str(2**30)),
    Option(name="files"),  # digests of what it is made of; no plan writes these
    Option(name="unit"),
)
_JUDGED_OPTIONS = (Option(name="judge", longest=100),)  # whose verdicts; people's, where any has judged
_TOLD_OPTIONS = (
    Option(name="unit"),
    Option(name="better", choices=(LESS, MORE), is_read_only=True),
    Option(name="summed_up", choices=SUMMED_UP, default=MEDIAN, is_read_only=True),
)

KINDS: Mapping[str, Kind] = MappingProxyType(
    {
        kind.name: kind if kind.of == NUMBERS else replace(kind, options=(*kind.options, *_OF_EVERY_KIND))
        for kind in (
            Kind(name="ssim", of=PICTURES, function="image:ssim", same=1.0),
            Kind(name="psnr", of=PICTURES, function="image:psnr", unit="dB", same=100.0),
            Kind(name="colour", of=PICTURES, function="image:colour", better=LESS, same=0.0),
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
            Kind(
                name="frame-count",
                of=PICTURES,
                function="frames:frame_count",
                against=NOTHING,
                better=None,
                options=(
                    Option(name="rate", written=NUMBER, for_function=True),
                    Option(name="seconds", written=NUMBER, for_function=True),
                    Option(name="first", written=TRUTH, for_function=True),
                ),
            ),
            Kind(name="snr", of=SOUNDS, function="sound:snr", unit="dB"),
            Kind(
                name="spectral-distance",
                of=SOUNDS,
                same=0.0,
                function="sound:spectral_distance",
                unit="dB",
                better=LESS,
                takes_rate=True,
            ),
            Kind(name="clipping", of=SOUNDS, function="sound:clipping", against=NOTHING, better=LESS, summed_up=MEAN),
            Kind(name="silence", of=SOUNDS, function="sound:silence", against=NOTHING, better=None, takes_rate=True),
            Kind(name="loudness", of=SOUNDS, function="sound:loudness", against=NOTHING, better=None, unit="dB"),
            Kind(name="relative-l2", of=ARRAYS, function="array:relative_l2", better=LESS, same=0.0),
            Kind(name="cosine", of=ARRAYS, function="array:cosine", same=1.0),
            Kind(name="largest-difference", of=ARRAYS, function="array:largest_difference", better=LESS, same=0.0),
            Kind(name="rouge-l", of=TEXTS, function="text:rouge_l", same=1.0),
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
                options=(Option(name="tolerance", default="0", written=NUMBER, for_function=True),),
            ),
            Kind(name="edit", of=TEXTS, function="text:edit", same=1.0),
            Kind(name="exact", of=TEXTS, function="text:exact", summed_up=MEAN, same=1.0),
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
            Kind(name="kl", of=SCORES, function="scores:kl", unit="nats", better=LESS, same=0.0),
            Kind(name="top1", of=SCORES, function="scores:top1", same=1.0),
            Kind(
                name="spread",
                of=PICTURES,
                against=OTHER_SEEDS,
                better=None,
                options=(Option(name="distance", choices=DISTANCES, default=DISTANCES[0]),),
            ),
            Kind(
                name="program",
                of=FILES,
                against=NOTHING,
                better=None,
                asks=True,
                options=(
                    Option(name="command", written=WORDS, is_needed=True),
                    Option(name="pass", written=TRUTH),
                    *_ASKED_OPTIONS,
                ),
            ),
            Kind(
                name="script",
                of=FILES,
                against=NOTHING,
                better=None,
                asks=True,
                options=(
                    Option(name="script", written=FILE, is_needed=True),
                    Option(name="function", default="measure", longest=100),
                    Option(name="python", longest=1000),
                    Option(name="against", choices=("reference", "nothing"), default="nothing"),
                    *_ASKED_OPTIONS,
                ),
            ),
            Kind(name="expect", of=VERDICTS, against=NOTHING, summed_up=MEAN, options=_JUDGED_OPTIONS),
            Kind(name="wins", of=VERDICTS, against=NOTHING, summed_up=MEAN, options=_JUDGED_OPTIONS),
            Kind(name="mark", of=VERDICTS, against=NOTHING, summed_up=MEAN, options=_JUDGED_OPTIONS),
            Kind(name="told", of=NUMBERS, against=NOTHING, better=None, options=_TOLD_OPTIONS),
        )
    }
)


def pair_kind(kind: Kind, options: Mapping[str, str]) -> Kind:
    """Return the kind that works out each pair of outputs: of a spread the distance that it names."""
    return KINDS[options.get("distance", DISTANCES[0])] if kind.against == OTHER_SEEDS else kind


def as_distance(kind: Kind, value: float) -> float:
    """Return how far apart two outputs are, from what this kind says of them: a likeness of 1 is no distance."""
    return 1 - value if kind.better == MORE else value
