"""How Unvek runs bract for a clip: a walk from one label to another of the same prompt, each frame painted whole.

The frames' noise turns from one seed's to the next one's, so that the flower grows into another. A frame costs what a
label does. With `glitch` the first frames come out spoiled, as a decoder does that has not filled its buffers yet.
"""

import math

import bract
import numpy as np
import painter
from PIL import Image

FRAME_MS = 120


def load(variant):
    return painter.load(variant)


def run(model, job, probe):
    """Paint the frames of a walk from the job's seed to the one after it; each is a step."""
    settings = job.settings
    count, glitch = settings["frames"], settings.get("glitch", 0)
    probe.phase("steps")
    frames = []
    for place in range(count):
        noise = between(job.seed, job.seed + 1, place / max(1, count - 1))
        picture = model.paint(job.prompt, job.seed, settings["steps"], settings["guidance"], noise=noise)
        frames.append(spoiled(picture, place) if place < glitch else picture)
        probe.step(of=count)
    probe.phase("save")
    folder = job.out / "walk"
    folder.mkdir()
    pixels = [np.round(frame * 255).astype(np.uint8) for frame in frames]
    for place, frame in enumerate(pixels, 1):
        png = painter.as_png(frame.tobytes(), bract.SIZE, bract.SIZE)
        (folder / f"{place:02d}.png").write_bytes(png)
    first, *rest = (Image.fromarray(frame) for frame in pixels)
    first.save(job.out / "walk.gif", save_all=True, append_images=rest, duration=FRAME_MS, loop=0)
    probe.output(job.out / "walk.gif")


def between(first: int, second: int, share: float) -> np.ndarray:
    """Return the noise that lies so far from one seed's to another's: a turn, which keeps it as strong as noise is."""
    a, b = (bract.noise_of(seed) for seed in (first, second))
    angle = share * math.pi / 2
    return np.cos(angle, dtype=np.float32) * a + np.sin(angle, dtype=np.float32) * b


def spoiled(picture: np.ndarray, place: int) -> np.ndarray:
    """Return a frame whose rows have slipped and whose colours are swapped, another way for each place."""
    rows = [np.roll(row, 17 * (place + 1) + 5 * number, axis=0) for number, row in enumerate(picture)]
    return 1 - np.stack(rows)[:, :, :: 1 - 2 * (place % 2)]
