"""The measures by name: their units, and which way is better."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from types import MappingProxyType

LESS, MORE = "less", "more"


@dataclass(frozen=True, slots=True, kw_only=True)
class Measure:
    """A named number about a run. `better` is LESS, MORE, or None where neither is."""

    name: str
    unit: str
    better: str | None

    @property
    def is_time(self) -> bool:
        return self.unit == "s"


BUILT_IN: Mapping[str, Measure] = MappingProxyType(
    {
        measure.name: measure
        for measure in (
            Measure(name="time.total", unit="s", better=LESS),
            Measure(name="time.load", unit="s", better=LESS),
            Measure(name="time.first", unit="s", better=LESS),
            Measure(name="step.time", unit="s", better=LESS),
            Measure(name="cpu.time", unit="s", better=LESS),
            Measure(name="memory.peak", unit="B", better=LESS),
            Measure(name="memory.device", unit="B", better=LESS),
            Measure(name="energy", unit="J", better=LESS),
            Measure(name="output.tokens", unit="", better=None),
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
    }
)

LIKENESS_UNITS: Mapping[str, str] = MappingProxyType({"ssim": "", "psnr": "dB"})


def likeness_measure(name: str, kind: str) -> Measure:
    """Return the measure for a likeness that a plan asks for under a name of its own."""
    return Measure(name=name, unit=LIKENESS_UNITS[kind], better=MORE)


def likeness_function(kind: str) -> Callable[..., float]:
    """Return the function over two pictures for a kind of likeness."""
    from unvek.core.measures import image  # NumPy is not wanted where only names are

    return {"ssim": image.ssim, "psnr": image.psnr}[kind]
