"""The measures by name: their units, and which way is better."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from types import MappingProxyType

LESS, MORE = "less", "more"
TIME = "time.total"  # the measure that results speak of unless told otherwise
COUNTED_IN = ("tokens", "words", "characters")


@dataclass(frozen=True, slots=True, kw_only=True)
class Measure:
    """A named number about a run. `better` is LESS, MORE, or None where neither is.

    What is averaged is summed up by its mean: of shares that are mostly whole the median would say nothing.
    """

    name: str
    unit: str
    better: str | None
    averaged: bool = False

    @property
    def is_speed(self) -> bool:
        """Whether more or less of it is faster or slower, rather than better or worse."""
        return self.unit in ("s", "/s")


BUILT_IN: Mapping[str, Measure] = MappingProxyType(
    {
        measure.name: measure
        for measure in (
            Measure(name="time.total", unit="s", better=LESS),
            Measure(name="time.load", unit="s", better=LESS),
            Measure(name="time.first", unit="s", better=LESS),
            Measure(name="step.time", unit="s", better=LESS),
            Measure(name="time.fixed", unit="s", better=LESS),
            *(Measure(name=f"time.per.{one}", unit="s", better=LESS) for one in ("token", "frame", "megapixel")),
            Measure(name="cpu.time", unit="s", better=LESS),
            Measure(name="memory.peak", unit="B", better=LESS),
            Measure(name="memory.device", unit="B", better=LESS),
            Measure(name="energy", unit="J", better=LESS),
            *(Measure(name=name, unit="", better=None) for name in ("output.tokens", "input.tokens", "output.steps")),
            *(Measure(name=f"rate.{unit}", unit="/s", better=MORE) for unit in COUNTED_IN),
            *(Measure(name=f"rate.{unit}.sum", unit="/s", better=MORE) for unit in COUNTED_IN),
            *(Measure(name=f"rate.{unit}", unit="/s", better=MORE) for unit in ("steps", "frames", "megapixels")),
            Measure(name="gap.median", unit="s", better=LESS),
            Measure(name="gap.p99", unit="s", better=LESS),
            Measure(name="request.time", unit="s", better=LESS),
            Measure(name="request.time.p99", unit="s", better=LESS),
            Measure(name="requests.failed", unit="", better=LESS),
        )
    }
)

# Where the columns of a run stand behind the built-in measures; time.load is its launch's.
RUN_COLUMNS: Mapping[str, str] = MappingProxyType(
    {
        "time.total": "time_s",
        "time.first": "first_s",
        "step.time": "step_time_s",
        "cpu.time": "cpu_s",
        "memory.peak": "memory_peak_bytes",
        "memory.device": "memory_device_bytes",
        "energy": "energy_j",
        "output.tokens": "tokens",
        "output.steps": "steps",
    }
)

PICTURES, TEXTS, SCORES = "pictures", "texts", "scores"  # what a kind of measure is worked out from


@dataclass(frozen=True, slots=True, kw_only=True)
class Kind:
    """A kind of likeness or quality that a plan may ask for.

    A likeness holds an output against the reference's of the same item; a quality needs the output alone, or the
    texts that the task wants.
    """

    name: str
    of: str
    unit: str = ""
    better: str = MORE
    is_likeness: bool = True
    averaged: bool = False


KINDS: Mapping[str, Kind] = MappingProxyType(
    {
        kind.name: kind
        for kind in (
            Kind(name="ssim", of=PICTURES),
            Kind(name="psnr", of=PICTURES, unit="dB"),
            Kind(name="edit", of=TEXTS),
            Kind(name="exact", of=TEXTS, averaged=True),
            Kind(name="contains", of=TEXTS, is_likeness=False, averaged=True),
            Kind(name="perplexity", of=SCORES, better=LESS, is_likeness=False),
            Kind(name="kl", of=SCORES, unit="nats", better=LESS),
            Kind(name="top1", of=SCORES),
        )
    }
)


def wanted_measure(name: str, kind: str) -> Measure:
    """Return the measure for what a plan asks for under a name of its own."""
    found = KINDS[kind]
    return Measure(name=name, unit=found.unit, better=found.better, averaged=found.averaged)


def kind_function(kind: str) -> Callable[..., float]:
    """Return the function of a kind: over two outputs for a likeness; else over an output and what goes with it."""
    from unvek.core.measures import image, scores, text  # NumPy is not wanted where only names are

    functions: Mapping[str, Callable[..., float]] = {
        "ssim": image.ssim, "psnr": image.psnr, "edit": text.edit, "exact": text.exact, "contains": text.contains,
        "perplexity": scores.perplexity, "kl": scores.kl, "top1": scores.top1,
    }  # fmt: skip
    return functions[kind]
