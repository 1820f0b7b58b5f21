"""A short chime that tells the counter that a label is ready, synthesised in steps: each adds one partial of a bell.

No model at all, but what one does that makes sound: with fewer steps the chime is thinner, with little precision it
hisses, and where it is made too loud it clips.
"""

import math
import wave

import numpy as np

RATE_HZ, SECONDS = 16_000, 0.8
PARTIALS = (1.0, 2.0, 2.4, 3.0, 4.5, 5.33, 6.67, 8.0, 9.2, 10.7, 12.1, 13.6)  # of a struck bell, over its lowest
PITCHES_HZ = {"ready": 440.0, "paper": 330.0, "done": 587.0}
PRECISIONS = {"full": np.float64, "half": np.float16}


def load(variant):
    """Return the numbers that the chime is added up in."""
    return PRECISIONS[variant.settings.get("precision", "full")]


def run(number, job, probe):
    steps, gain = job.settings["steps"], job.settings.get("gain", 1.0)
    if job.prompt not in PITCHES_HZ:
        raise ValueError(f"there is no chime {job.prompt!r}: there are {', '.join(PITCHES_HZ)}")
    rng = np.random.default_rng(job.seed)
    moments = np.arange(round(RATE_HZ * SECONDS)) / RATE_HZ
    sound = np.zeros(len(moments), number)
    probe.phase("steps")
    for place in range(steps):
        sound += partial(place, PITCHES_HZ[job.prompt], moments, rng).astype(number)
        probe.step(of=steps)
    probe.phase("save")
    save(np.clip(np.asarray(sound, np.float64) * gain, -1, 1), job.out / "chime.wav")
    probe.output(job.out / "chime.wav")


def partial(place: int, pitch_hz: float, moments: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Return one partial: higher ones are softer and die sooner; its phase is the seed's."""
    over = PARTIALS[place % len(PARTIALS)] * (1 + place // len(PARTIALS))
    return (
        0.18
        / over**0.7
        * np.exp(-4 * over**0.6 * moments)
        * np.sin(2 * math.pi * pitch_hz * over * moments + rng.uniform(0, 2 * math.pi))
    )


def save(sound: np.ndarray, path) -> None:
    """Write samples of -1..1 as a WAV of 16 bits."""
    with wave.open(str(path), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(RATE_HZ)
        file.writeframes(np.round(sound * 32767).astype("<i2").tobytes())
