"""Sounds."""

import io
import warnings
from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from unvek.core.evidence.outputs.source import OutputError, Source, damage_as
from unvek.core.measures.kind import Kind


class Sound(NamedTuple):
    """Samples (samples, channels) of floats in -1..1, so many a second."""

    samples: NDArray[np.floating]
    rate_hz: float


class Sounds(Source):
    name = "sound"
    endings = (".wav",)
    largest_bytes = 256 * 2**20

    def _read(self, data: bytes) -> Sound:
        return sound_of(data)

    def arguments(self, kind: Kind, ours: Any, theirs: Any, wanted: Sequence[str]) -> tuple[Any, ...]:
        """Channels one after the other; for a spectrum their mean."""
        both = (ours, theirs) if kind.is_likeness else (ours,)
        if len({(sound.rate_hz, sound.samples.shape[1]) for sound in both}) > 1:
            raise ValueError("the two sounds have different rates, or numbers of channels")
        samples = [sound.samples.mean(axis=1) if kind.takes_rate else sound.samples.T.ravel() for sound in both]
        return (*samples, ours.rate_hz) if kind.takes_rate else tuple(samples)


def sound_of(data: bytes) -> Sound:
    """Return what a WAV file holds; OutputError where it is none, or damaged."""
    rate_hz, samples = samples_of(data)
    if samples.size == 0 or not rate_hz:
        raise OutputError("its sound is empty")
    samples = samples.reshape(len(samples), -1)
    if samples.dtype.kind == "u":
        return Sound((samples.astype(np.float32) - 128) / 128, rate_hz)
    if samples.dtype.kind == "i":
        return Sound(samples.astype(np.float64) / np.iinfo(samples.dtype).max, rate_hz)
    if not np.all(np.isfinite(samples)):
        raise OutputError("its samples are no numbers (NaN)")
    return Sound(samples.astype(np.float64), rate_hz)


def samples_of(data: bytes) -> tuple[int, NDArray[Any]]:
    """Return the samples a second of a WAV file, and its samples as they are; OutputError as for `sound_of`."""
    from scipy.io import wavfile  # takes a moment to come

    with damage_as("its sound is damaged, or no WAV"), warnings.catch_warnings():
        warnings.simplefilter("ignore")  # of chunks that are not known
        rate_hz, samples = wavfile.read(io.BytesIO(data))
    return int(rate_hz), samples
