"""Sounds: the wave above, its spectrum over time below."""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from unvek.core.evidence.outputs.sounds import Sound, Sounds, sound_of
from unvek.core.evidence.outputs.source import OutputError
from unvek.core.held_folder import read_plain
from unvek.core.measures.sound import clipped
from unvek.show.palette import CLAY, INK, SKY
from unvek.show.picture.tiles.look import NoTileError

WIDTH, WAVE, SPECTRUM = 240, 70, 70
GROUND = "#fffdf8"
WINDOW = 512
LOUDEST_DB = 70.0  # what is softer than the loudest by so much is white


def sound_at(path: Path) -> Sound:
    """Return a sound; NoTileError where it can't be had."""
    try:
        return sound_of(read_plain(path, Sounds.largest_bytes))
    except (OutputError, OSError) as error:
        raise NoTileError(f"no readable sound: {error}") from error


def draw_sound(sound: Sound) -> Image.Image:
    """Return the wave of a sound, red where it clips, and beneath it what it is made of, low tones at the foot."""
    samples = np.clip(sound.samples.mean(axis=1), -1, 1)  # a file of floats may say anything
    tile = Image.new("RGB", (WIDTH, WAVE + SPECTRUM), GROUND)
    draw = ImageDraw.Draw(tile)
    draw.line((0, WAVE // 2, WIDTH, WAVE // 2), fill="#d9d3c6")
    is_clipped = np.any([clipped(channel) for channel in sound.samples.T], axis=0)
    parts = zip(np.array_split(samples, WIDTH), np.array_split(is_clipped, WIDTH), strict=True)
    for x, (part, clips) in enumerate(parts):
        if len(part):
            low, high = (WAVE / 2 * (1 - end) for end in (float(part.min()), float(part.max())))
            draw.line((x, round(high), x, round(low)), fill=CLAY if np.any(clips) else SKY)
    tile.paste(Image.fromarray(spectrum(samples)), (0, WAVE))
    draw.line((0, WAVE, WIDTH, WAVE), fill=INK)
    return tile


def sound_words(sound: Sound) -> str:
    return f"{len(sound.samples) / sound.rate_hz:.2g} s at {sound.rate_hz / 1000:g} kHz"


def spectrum(samples: NDArray[np.floating]) -> NDArray[np.uint8]:
    """Return (SPECTRUM, WIDTH, 3) bytes: the loudness of each tone over time, darker the louder, low tones below."""
    padded = np.pad(samples, (WINDOW // 2, WINDOW))
    starts = np.linspace(0, max(0, len(samples) - 1), WIDTH).astype(int)
    window = np.hanning(WINDOW)
    tones = np.abs(np.fft.rfft(np.stack([padded[start : start + WINDOW] * window for start in starts]), axis=1))
    loud = 20 * np.log10(np.maximum(tones, 1e-9) / max(float(tones.max()), 1e-9))
    rows = np.array_split(loud, SPECTRUM, axis=1)
    shares = np.clip(1 + np.stack([row.max(axis=1) for row in rows[::-1]]) / LOUDEST_DB, 0, 1)[..., None]
    light, dark = np.array([255, 253, 248]), np.array([18, 58, 107])
    return np.asarray(np.round(light + shares * (dark - light)), np.uint8)
