"""Pictures from files that anybody may have made: by readers that are named, within bounds, and scaled where large.

The library guesses by a file's content and not by its name, and some of its readers start other programs: only those
that decode the file themselves are let at it.
"""

import io
import math
import warnings
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from PIL import Image

READERS = ("PNG", "JPEG", "WEBP", "GIF", "BMP", "TIFF", "PPM")
MOST_PIXELS = 64_000_000  # of a picture that is opened at all
MOST_SHOWN_PIXELS = 32_000_000  # of all that are shown beside each other

File = Path | io.BytesIO


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

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # what is odd about a file is no matter for the user's terminal
            with Image.open(file, formats=READERS) as opened:
                width, height = opened.size
                if width * height > MOST_PIXELS:
                    raise NoPictureError(
                        f"it has {_megapixels(width * height)}; at most {_megapixels(MOST_PIXELS)} are read"
                    )
                if longest_side is not None and max(width, height) > longest_side:
                    opened.thumbnail((longest_side, longest_side), Image.Resampling.BOX)
                return Picture(opened.convert("RGB"), width, height)
    except NoPictureError:
        raise
    except Exception as error:  # a decoder that is fed damage raises whatever it comes upon
        raise NoPictureError("it is no picture, or damaged") from error


def picture_size(file: File) -> tuple[int, int]:
    """Return (width, height) as a file's head has them; NoPictureError where it has none."""
    from PIL import Image

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(file, formats=READERS) as opened:
                return opened.size
    except Exception as error:
        raise NoPictureError("it is no picture, or damaged") from error


def shown_side(count: int) -> int:
    """Return how long the sides of so many pictures may be, to be held all at once."""
    return max(16, math.isqrt(MOST_SHOWN_PIXELS // max(1, count)))


def _megapixels(pixels: int) -> str:
    return f"{pixels / 1e6:.0f} megapixels"
