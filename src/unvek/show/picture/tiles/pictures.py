"""Pictures: enlarged the same, a region of them, or what they differ by from the reference's."""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageColor, ImageDraw

from unvek.core.measures.image import LUMINANCE
from unvek.core.pictures import NoPictureError, joined_frames, open_frames, open_picture
from unvek.show.palette import CLAY, SKY
from unvek.show.picture.tiles.look import LARGEST_SIDE, Look, NoTileError

PART_OF_SIDE = 4  # the place that differs most has a side of so much of the picture's
LEAST_SIDE = 4
SCALES = (0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1.0)  # what the ends of a difference's colours may stand for
SEEN = 0.02  # of full scale: what nowhere differs by more has no place that differs most
FEW_BEYOND = 99.5  # percentile of differences that the scale takes in
Lights = NDArray[np.float64]


def opened(path: Path, look: Look, most: int) -> Image.Image:
    """Return a picture, or the region of it that is looked at, no side longer than `most`; NoTileError if none."""
    try:
        if look.region is None:
            return open_picture(path, most).image
        found = open_picture(path)
    except NoPictureError as error:
        raise NoTileError(f"no readable picture: {error}") from error
    if not look.region.lies_in(found.width, found.height):
        raise NoTileError(f"the region lies outside: the picture has {found.width} x {found.height}")
    return found.image.crop(look.region.box)


def draw_picture(image: Image.Image, factor: float) -> Image.Image:
    """Return a picture so many times as large; enlarged, its pixels stay visible."""
    size = (max(1, round(image.width * factor)), max(1, round(image.height * factor)))
    return image.resize(size, Image.Resampling.NEAREST if factor >= 1 else Image.Resampling.LANCZOS)


def signed_difference(ours: Image.Image, theirs: Image.Image) -> Lights:
    """Return by how much each place is brighter than the other picture's, -1..1; NoTileError for two sizes."""
    if ours.size != theirs.size:
        raise NoTileError(f"of another size than the reference's: {ours.width} x {ours.height}, "
                          f"{theirs.width} x {theirs.height}")  # fmt: skip
    return np.asarray((np.asarray(ours, np.float64) - np.asarray(theirs, np.float64)) @ LUMINANCE / 255)


def needed_scale(difference: Lights) -> float:
    """Return the smallest of SCALES that nearly all of a difference lies within."""
    most = float(np.percentile(np.abs(difference), FEW_BEYOND)) if difference.size else 0.0
    return next((scale for scale in SCALES if most <= scale), SCALES[-1])


def as_colours(difference: Lights, scale: float) -> Image.Image:
    """Return a difference as a picture: white where there is none, to one colour brighter, to the other darker."""
    share = np.clip(difference / scale, -1, 1)[..., None]
    brighter, darker = (np.array(ImageColor.getrgb(colour)) for colour in (CLAY, SKY))
    shaded = 255 + np.abs(share) * (np.where(share > 0, brighter, darker) - 255)
    return Image.fromarray(np.round(shaded).astype(np.uint8))


def worst_place(difference: Lights) -> tuple[int, int, int, int] | None:
    """Return the box (left, top, right, bottom) whose mean difference is largest; None where nothing differs."""
    height, width = difference.shape
    side = max(LEAST_SIDE, min(height, width) // PART_OF_SIDE)
    if side >= min(height, width) or np.max(np.abs(difference)) < SEEN:
        return None
    sums = np.zeros((height + 1, width + 1))
    np.cumsum(np.cumsum(np.abs(difference), axis=0), axis=1, out=sums[1:, 1:])
    boxes = sums[side:, side:] - sums[:-side, side:] - sums[side:, :-side] + sums[:-side, :-side]
    top, left = np.unravel_index(int(np.argmax(boxes)), boxes.shape)
    return int(left), int(top), int(left) + side, int(top) + side


def mark_place(tile: Image.Image, box: tuple[int, int, int, int], factor: float) -> None:
    """Draw a frame around a place of a picture that was enlarged."""
    left, top, right, bottom = (round(factor * end) for end in box)
    draw = ImageDraw.Draw(tile)
    draw.rectangle((left, top, right - 1, bottom - 1), outline="#ffffff", width=3)
    draw.rectangle((left + 1, top + 1, right - 2, bottom - 2), outline=CLAY, width=1)


def where_words(box: tuple[int, int, int, int], width: int, height: int) -> str:
    """Word where in a picture a place lies: "lower left"."""
    down = ("upper", "middle", "lower")[min(2, 3 * (box[1] + box[3]) // (2 * height))]
    across = ("left", "middle", "right")[min(2, 3 * (box[0] + box[2]) // (2 * width))]
    return "middle" if down == across == "middle" else f"{down} {across}"


def frames_of(files: tuple[Path, ...]) -> NDArray[np.uint8]:
    """Return the frames of a file, or of several, (frames, height, width, 3); NoTileError where they can't be had."""
    try:
        return joined_frames(open_frames(path) for path in files)
    except NoPictureError as error:
        raise NoTileError(f"no readable picture: {error}") from error


def factor_for(sides: list[int], look: Look, aimed: int) -> float:
    """Return how many times as large pictures are drawn, all the same, whose longest sides these are."""
    largest = max(sides, default=aimed)
    factor = float(look.zoom or max(1, round(aimed / largest)))
    return min(factor, LARGEST_SIDE / largest)
