"""Frames: as a strip, those that do not belong among their neighbours framed."""

from collections.abc import Set

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from unvek.core.measures.frames import bad_frames
from unvek.show.palette import CLAY, PAPER
from unvek.show.picture.tiles.pictures import draw_picture

MOST_FRAMES, A_LINE = 16, 8
AIMED_SIDE, GAP = 48, 3
Frames = NDArray[np.uint8]


def draw_frames(frames: Frames, bad: Set[int]) -> Image.Image:
    """Return a strip of frames, evenly chosen where there are many; bad ones stand in a frame, and are all shown."""
    shown = chosen(len(frames), bad)
    height, width = frames.shape[1:3]
    factor = AIMED_SIDE / max(height, width)
    drawn = [draw_picture(Image.fromarray(frames[frame]), factor) for frame in shown]
    size, lines = drawn[0].size, -(-len(shown) // A_LINE)
    strip = Image.new("RGB", (min(A_LINE, len(shown)) * (size[0] + GAP), lines * (size[1] + GAP)), PAPER)
    draw = ImageDraw.Draw(strip)
    for place, (frame, image) in enumerate(zip(shown, drawn, strict=True)):
        x, y = place % A_LINE * (size[0] + GAP), place // A_LINE * (size[1] + GAP)
        strip.paste(image, (x, y))
        if frame in bad:
            draw.rectangle((x, y, x + size[0] - 1, y + size[1] - 1), outline=CLAY, width=3)
    return strip


def frames_words(count: int, bad: Set[int]) -> str:
    """Say how many frames there are, how many are shown, and which are bad."""
    said = f"{count} frames" if count <= MOST_FRAMES else f"{len(chosen(count, bad))} of {count} frames"
    if bad:
        said += f", bad: {', '.join(str(frame + 1) for frame in sorted(bad)[:4])}{'...' if len(bad) > 4 else ''}"
    return said


def chosen(count: int, bad: Set[int]) -> list[int]:
    """Return which frames are shown."""
    if count <= MOST_FRAMES:
        return list(range(count))
    first_bad = sorted(bad)[: MOST_FRAMES // 2]
    evenly = np.linspace(0, count - 1, MOST_FRAMES - len(first_bad)).round().astype(int).tolist()
    return sorted({*evenly, *first_bad})


def bad_in(frames: Frames) -> set[int]:
    """Return the frames that do not belong among the others; of two nobody can say."""
    return set(bad_frames(frames)) if len(frames) > 2 else set()
