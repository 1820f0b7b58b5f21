"""Pictures from files that anybody may have made: by readers that are named, within bounds, and scaled where large.

The library guesses by a file's content and not by its name, and some of its readers start other programs: only those
that decode the file themselves are let at it.
"""

import io
import logging
import math
import os
import warnings
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray
    from PIL import Image

READERS = ("PNG", "JPEG", "WEBP", "GIF", "BMP", "TIFF", "PPM")
MOST_PIXELS = 64_000_000  # of a picture that is opened at all
MOST_FRAME_PIXELS = 128_000_000  # of all frames of one output
MOST_SHOWN_PIXELS = 32_000_000  # of all that are shown beside each other

STDERR = 2
File = Path | io.BytesIO
logging.getLogger("PIL").setLevel(logging.CRITICAL)  # as with warnings: what is odd is told by what is refused


class Picture(NamedTuple):
    """A picture in RGB, perhaps scaled down, and the size that it has in its file."""

    image: "Image.Image"
    width: int
    height: int


class NoPictureError(Exception):
    """Why a file can't be had as a picture."""


def open_picture(file: File, longest_side: int | None = None) -> Picture:
    """Return a picture, scaled while it is read where a side would be longer; NoPictureError where it can't be had."""
    from PIL import Image

    with _opened(file) as opened:
        width, height = opened.size
        if width * height > MOST_PIXELS:
            raise NoPictureError(f"it has {_megapixels(width * height)}; at most {_megapixels(MOST_PIXELS)} are read")
        with _silent_library(opened.format):
            if longest_side is not None and max(width, height) > longest_side:
                opened.thumbnail((longest_side, longest_side), Image.Resampling.BOX)
            return Picture(opened.convert("RGB"), width, height)


def open_frames(file: File) -> "NDArray[np.uint8]":
    """Return the frames of a moving picture, (frames, height, width, 3); one of a still. NoPictureError as above.

    Frames are bytes, an eighth of what they would be as floats.
    """
    import numpy as np
    from PIL import ImageSequence

    with _opened(file) as opened:
        count = getattr(opened, "n_frames", 1)
        pixels = opened.width * opened.height * count
        if pixels > MOST_FRAME_PIXELS:
            most = _megapixels(MOST_FRAME_PIXELS)
            raise NoPictureError(f"its frames have {_megapixels(pixels)} together; at most {most} are read")
        with _silent_library(opened.format):
            frames = np.empty((count, opened.height, opened.width, 3), np.uint8)  # once, and not once more to join them
            for place, frame in enumerate(ImageSequence.Iterator(opened)):
                frames[place] = np.asarray(frame.convert("RGB"))
            return frames


def joined_frames(pictures: "Iterable[NDArray[np.uint8]]") -> "NDArray[np.uint8]":
    """Return several pictures as the frames of one, (frames, height, width, 3).

    Each is a still, (height, width, 3), or has frames of its own. NoPictureError where their sizes differ, or they have
    too many pixels together.
    """
    import numpy as np

    found: list[NDArray[np.uint8]] = []
    pixels = 0
    for picture in pictures:
        found.append(picture[None] if picture.ndim == 3 else picture)
        pixels += found[-1].size // 3
        if found[-1].shape[1:] != found[0].shape[1:]:
            raise NoPictureError("its pictures have different sizes")
        if pixels > MOST_FRAME_PIXELS:
            raise NoPictureError(f"its frames have more than {_megapixels(MOST_FRAME_PIXELS)} together")
    return np.concatenate(found)


def picture_size(file: File) -> tuple[int, int]:
    """Return (width, height) as a file's head has them; NoPictureError where it has none."""
    with _opened(file) as opened:
        return opened.size


@contextmanager
def _opened(file: File) -> "Iterator[Image.Image]":
    """Open a picture by the named readers; whatever goes wrong while it is open is a NoPictureError."""
    from PIL import Image

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(file, formats=READERS) as opened:
                yield opened
    except NoPictureError:
        raise
    except Image.DecompressionBombError as error:
        raise NoPictureError(f"it has far more than the {_megapixels(MOST_PIXELS)} that are read") from error
    except Exception as error:  # a decoder that is fed damage raises whatever it comes upon
        raise NoPictureError("it is no picture, or damaged") from error


@contextmanager
def _silent_library(form: str | None) -> Iterator[None]:
    """Let what decodes TIFF say nothing: it writes to the terminal itself, past all that could be asked of it."""
    if form != "TIFF":
        yield
        return
    kept = os.dup(STDERR)
    nothing = os.open(os.devnull, os.O_WRONLY)
    try:
        os.dup2(nothing, STDERR)
        yield
    finally:
        os.dup2(kept, STDERR)
        os.close(kept)
        os.close(nothing)


def shown_side(count: int) -> int:
    """Return how long the sides of so many pictures may be, to be held all at once."""
    return max(16, math.isqrt(MOST_SHOWN_PIXELS // max(1, count)))


def _megapixels(pixels: int) -> str:
    return f"{pixels / 1e6:.0f} megapixels"
