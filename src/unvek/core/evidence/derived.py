"""Measures that are worked out from others: what is left of a run beside its steps, time and rates by what it made."""

from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Read = Callable[[str], Floats]  # a measure, or a setting, by name: (runs,), NaN where it is unknown
MEGAPIXEL = 1e6


def over(numbers: Floats, by: Floats) -> Floats:
    """Return numbers / by, NaN where `by` is not positive."""
    return np.asarray(np.divide(numbers, by, out=np.full(len(numbers), np.nan), where=by > 0))


def _megapixels(setting: Read) -> Floats:
    frames = setting("frames")
    return np.asarray(setting("width") * setting("height") * np.where(np.isfinite(frames), frames, 1.0) / MEGAPIXEL)


def _beside_steps(measure: Read) -> Floats:
    return np.asarray(measure("time.total") - measure("step.time") * measure("output.steps"))


# What each is worked out from: other measures and settings.
DERIVED: Mapping[str, Callable[[Read, Read], Floats]] = {
    "time.fixed": lambda measure, _: _beside_steps(measure),
    "time.per.token": lambda measure, _: over(measure("time.total"), measure("output.tokens")),
    "time.per.frame": lambda measure, setting: over(measure("time.total"), setting("frames")),
    "time.per.megapixel": lambda measure, setting: over(measure("time.total"), _megapixels(setting)),
    "rate.steps": lambda measure, _: over(np.ones_like(measure("step.time")), measure("step.time")),
    "rate.frames": lambda measure, setting: over(setting("frames"), measure("time.total")),
    "rate.megapixels": lambda measure, setting: over(_megapixels(setting), measure("time.total")),
}
