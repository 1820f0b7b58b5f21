"""Measures of sounds. A sound is an array (samples,) of floats, full scale at -1 and 1."""

import math

import numpy as np
from numpy.typing import NDArray

Sound = NDArray[np.floating]

SAME_SNR_DB = 100.0
FULL_SCALE = 0.999
SHORTEST_CLIP = 3  # samples in a row: a single one at full scale is a peak
FRAME_S, HOP_SHARE = 0.032, 0.5
QUIETEST_DB, SILENT_DB = -120.0, -60.0  # of full scale
SILENCE_FRAME_S = 0.02


def snr(a: Sound, b: Sound) -> float:
    """Return the signal-to-noise ratio of a sound held against b, in decibels; more is more alike.

    10 log10(power of b / power of a - b). Sounds that do not differ at all, or by less than a hundred-thousandth, get
    SAME_SNR_DB: a mean over sounds knows no infinity. ValueError where the lengths differ, or b is silent throughout.
    """
    a, b = _checked(a, b)
    signal, noise = float(np.sum(b * b)), float(np.sum((a - b) ** 2))
    if signal == 0:
        raise ValueError("the sound that it is held against is silent throughout")
    return SAME_SNR_DB if noise == 0 else min(SAME_SNR_DB, 10 * math.log10(signal / noise))


def spectral_distance(a: Sound, b: Sound, rate_hz: float) -> float:
    """Return the log-spectral distance of two sounds in decibels; 0 is the same spectrum at every moment.

    The root mean square over frequencies of the difference of the two power spectra in decibels, averaged over frames
    of 32 ms under a Hann window, half of each in the next (Gray and Markel 1976, "Distance measures for speech
    processing", the L2 norm). Power below -120 dB of a full-scale sine counts as that much. ValueError where the
    lengths differ.
    """
    a, b = _checked(a, b)
    length = max(2, round(FRAME_S * rate_hz))
    difference = _spectrum_db(a, length) - _spectrum_db(b, length)
    return float(np.mean(np.sqrt(np.mean(difference**2, axis=1))))


def _spectrum_db(sound: NDArray[np.float64], length: int) -> NDArray[np.float64]:
    """Return the power spectrum in decibels of each frame: (frames, frequencies)."""
    if len(sound) < length:
        sound = np.pad(sound, (0, length - len(sound)))
    hop = max(1, int(length * HOP_SHARE))
    frames = np.lib.stride_tricks.sliding_window_view(sound, length)[::hop]
    window = np.hanning(length + 1)[:-1]
    power = np.abs(np.fft.rfft(frames * window, axis=1)) ** 2 / (window.sum() / 2) ** 2
    return np.asarray(10 * np.log10(np.maximum(power, 10 ** (QUIETEST_DB / 10))))


def clipping(a: Sound) -> float:
    """Return the share of samples that are clipped: at full scale, three or more in a row on one side."""
    return float(clipped(a).mean())


def clipped(a: Sound) -> NDArray[np.bool_]:
    """Return which samples are clipped, as `clipping` has it."""
    a = _one(a)
    found = np.zeros(len(a), bool)
    for side in (a >= FULL_SCALE, a <= -FULL_SCALE):
        edges = np.flatnonzero(np.diff(np.concatenate(([False], side, [False])).astype(np.int8)))
        for start, end in zip(edges[::2], edges[1::2], strict=True):
            found[start:end] |= end - start >= SHORTEST_CLIP
    return found


def silence(a: Sound, rate_hz: float) -> float:
    """Return the share of stretches of 20 ms whose level is under -60 dB of full scale."""
    a = _one(a)
    length = max(1, round(SILENCE_FRAME_S * rate_hz))
    count = max(1, len(a) // length)
    levels = [loudness(part) for part in np.array_split(a, count)]
    return float(np.mean(np.array(levels) < SILENT_DB))


def loudness(a: Sound) -> float:
    """Return the level (root mean square) in decibels of full scale, at least -120."""
    power = float(np.mean(_one(a) ** 2))
    return QUIETEST_DB if power == 0 else max(QUIETEST_DB, 10 * math.log10(power))


def _one(a: Sound) -> NDArray[np.float64]:
    if a.ndim != 1 or a.size == 0:
        raise ValueError(f"wanted a sound of shape (samples,); got {a.shape}")
    return np.asarray(a, np.float64)


def _checked(a: Sound, b: Sound) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    a, b = _one(a), _one(b)
    if len(a) != len(b):
        raise ValueError(f"wanted two sounds of one length; got {len(a)} and {len(b)} samples")
    return a, b
