"""Measures of a row of frames: an array (frames, height, width, 3) of floats in 0..1, sRGB, or of bytes."""

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

Frames = NDArray[np.generic]
YES = "yes"

FAR_FROM_OTHERS, TIMES_MEDIAN, LEAST_CHANGE = 6.0, 3.0, 0.01
SPREAD = 1.4826  # of the median absolute deviation to a standard deviation, for a normal


def flicker(a: Frames) -> float:
    """Return the mean absolute change from frame to frame, over all pixels and colours; 0 is a still.

    ValueError for fewer than two frames.
    """
    return float(np.mean(_changes(a)))


def bad_frames(a: Frames) -> list[int]:
    """Return the frames that differ from both of their neighbours far more than the others do, by their places.

    A frame's distance is the smaller of its changes from the frame before and to the frame after, so that a cut to
    another scene makes none bad. Far is six spreads (1.4826 times the median absolute deviation) above the median
    distance, three times the median, and a hundredth of full scale at least. ValueError for fewer than three frames.
    """
    changes = _changes(a)
    if len(changes) < 2:
        raise ValueError("wanted three frames or more; it has two")
    distances = np.minimum(np.append(changes, np.inf), np.insert(changes, 0, np.inf))
    middle = float(np.median(distances))
    spread = SPREAD * float(np.median(np.abs(distances - middle)))
    far = max(middle + FAR_FROM_OTHERS * spread, TIMES_MEDIAN * middle, LEAST_CHANGE)
    return [int(place) for place in np.flatnonzero(distances > far)]


def bad_frame_count(a: Frames) -> float:
    """Return how many frames are bad."""
    return float(len(bad_frames(a)))


def frame_count(a: Frames, rate: str | None = None, seconds: str | None = None, first: str | None = None) -> float:
    """Return how many frames there are; 1 of a still, (height, width, 3).

    With so many a second, and seconds: how many there are too many or too few; first: "yes" where one more is counted.
    """
    count = float(len(a)) if a.ndim == 4 else 1.0
    if rate is None or seconds is None:
        return count
    return abs(count - round(float(rate) * float(seconds)) - (first == YES))


def _changes(a: Frames) -> NDArray[np.float64]:
    """Return the mean absolute change between each frame and the next: (frames - 1,)."""
    if a.ndim != 4 or a.shape[3] != 3 or len(a) < 2:
        raise ValueError("wanted two frames or more; it is a still" if a.ndim == 3 else "wanted two frames or more")
    if a.dtype == np.uint8:  # bytes are subtracted as such: an eighth of the room, and a quarter of the time
        return np.array([np.mean(np.maximum(x, y) - np.minimum(x, y)) / 255 for x, y in pairwise(a)])
    return np.array([np.mean(np.abs(y - x)) for x, y in pairwise(a)])
