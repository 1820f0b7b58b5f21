"""How alike two pictures are, how sharp one is: arrays (height, width, 3) of floats in 0..1, sRGB, or of bytes."""

import math
from collections.abc import Callable
from functools import lru_cache, wraps

import numpy as np
from numpy.typing import NDArray

from unvek.core.measures.colours import ciede2000, lab

Picture = NDArray[np.generic]

SAME_PSNR_DB = 100.0
K1, K2 = 0.01, 0.03
SIGMA, RADIUS = 1.5, 5  # a Gaussian of 11 taps
WINDOW = 2 * RADIUS + 1
COLOURS_AT_A_TIME = 8192
LUMINANCE = np.array([0.2126, 0.7152, 0.0722])
TILE = 48  # rows and columns at a time, so that what is worked on stays in the processor's cache


def over_frames(measure: Callable[..., float]) -> Callable[..., float]:
    """Have a measure of pictures take moving ones too, (frames, height, width, 3): frame by frame, and averaged."""

    @wraps(measure)
    def of_each(*pictures: Picture) -> float:
        if pictures[0].ndim != 4:
            return measure(*pictures)
        lengths = [len(frames) if frames.ndim == 4 else 1 for frames in pictures]
        if min(lengths) != max(lengths) or not min(lengths):
            raise ValueError(f"wanted as many frames in both; got {' and '.join(map(str, lengths))}")
        return float(np.mean([measure(*frames) for frames in zip(*pictures, strict=True)]))

    return of_each


@over_frames
def psnr(a: Picture, b: Picture) -> float:
    """Return the peak signal-to-noise ratio of two pictures in decibels; more is more alike.

    10 log10(1 / mean squared difference). Pictures that do not differ at all get SAME_PSNR_DB, which no two
    different pictures of 8 bits and fewer than 100,000 numbers reach: a mean over pictures knows no infinity.
    Raises ValueError where the shapes differ or are not those of a picture.
    """
    a, b = _checked(a, b)
    error = float(np.mean((a - b) ** 2))
    return SAME_PSNR_DB if error == 0 else min(SAME_PSNR_DB, -10 * math.log10(error))


@over_frames
def ssim(a: Picture, b: Picture) -> float:
    """Return the structural similarity of two pictures, 1 for the same one, about 0 for unrelated ones.

    Wang, Bovik, Sheikh and Simoncelli (2004), "Image Quality Assessment: From Error Visibility to Structural
    Similarity", equation 13, with a Gaussian window of sigma 1.5 (11 taps), K1 = 0.01, K2 = 0.03 and population
    covariance, averaged over colour channels and over all places where the window lies inside the picture.
    Raises ValueError where the shapes differ, are not those of a picture, or are below 11 pixels a side.
    """
    _check(a, b)
    if min(a.shape[:2]) < WINDOW:
        raise ValueError(
            f"structural similarity needs at least {WINDOW} pixels a side; got {a.shape[1]} x {a.shape[0]}"
        )
    height, width = a.shape[0] - 2 * RADIUS, a.shape[1] - 2 * RADIUS
    total = 0.0
    for channel in range(3):
        x_plane, y_plane = _plane(a, channel), _plane(b, channel)
        for top in range(0, height, TILE):
            rows = slice(top, min(top + TILE, height) + 2 * RADIUS)
            total += _similarity(_window_means(x_plane[rows], y_plane[rows]))
    return float(total / (3 * height * width))


def _window_means(x: NDArray[np.float64], y: NDArray[np.float64]) -> NDArray[np.float64]:
    """The window's weighted means of x, y, xy and x^2 + y^2 (the two variances are needed only in sum).

    x, y: (rows + 10, columns + 10); returns (4, rows, columns). Smoothing is a product with a banded matrix, a tile
    at a time: more arithmetic than eleven sums, but the kind that a processor does fastest.
    """
    rows, width = len(x) - 2 * RADIUS, x.shape[1] - 2 * RADIUS
    planes = np.empty((4, *x.shape))
    planes[0], planes[1] = x, y
    np.multiply(x, y, out=planes[2])
    np.multiply(x, x, out=planes[3])
    planes[3] += y * y
    across = (_window(rows) @ planes).reshape(4 * rows, -1)
    means = np.empty((4 * rows, width))
    for left in range(0, width, TILE):
        columns = min(TILE, width - left)
        np.matmul(
            across[:, left : left + columns + 2 * RADIUS], _window(columns).T, out=means[:, left : left + columns]
        )
    return means.reshape(4, rows, width)


def _similarity(means: NDArray[np.float64]) -> float:
    """Sum of equation 13 over places; means: (4, rows, columns) of x, y, xy, x^2 + y^2."""
    x, y, xy, squares = means
    c1, c2 = K1**2, K2**2
    product, power = x * y, x * x  # in place from here on, so that a tile stays in the cache
    power += y * y
    covariance = xy - product
    covariance *= 2
    covariance += c2
    product *= 2
    product += c1
    product *= covariance
    squares = squares - power
    squares += c2
    power += c1
    power *= squares
    product /= power
    return float(product.sum())


@lru_cache(maxsize=8)
def _window(length: int) -> NDArray[np.float64]:
    """The Gaussian as a banded matrix (length, length + 10): a product with it smooths and drops the borders."""
    taps = np.exp(-0.5 * (np.arange(-RADIUS, RADIUS + 1) / SIGMA) ** 2)
    matrix = np.zeros((length, length + 2 * RADIUS))
    for place, tap in enumerate(taps / taps.sum()):
        matrix[np.arange(length), np.arange(length) + place] = tap
    matrix.flags.writeable = False
    return matrix


def _plane(a: Picture, channel: int) -> NDArray[np.float64]:
    """Return a channel as floats in 0..1, side by side in memory, without a copy of the whole picture."""
    plane = a[..., channel]
    return np.divide(plane, 255.0, dtype=np.float64) if a.dtype == np.uint8 else np.ascontiguousarray(plane, np.float64)


def _checked(a: Picture, b: Picture) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    a, b = _pictures(a, b)
    return a, b


def _check(*pictures: Picture) -> None:
    """Refuse what is no picture, or two of different shapes."""
    if len({a.shape for a in pictures}) > 1:
        raise ValueError(
            f"wanted two pictures of one shape (height, width, 3); got {' and '.join(str(a.shape) for a in pictures)}"
        )
    for a in pictures:
        if a.ndim != 3 or a.shape[2] != 3 or a.size == 0:
            raise ValueError(f"wanted pictures of one shape (height, width, 3); got {a.shape}")


def _pictures(*pictures: Picture) -> list[NDArray[np.float64]]:
    """Return pictures as floats in 0..1; ValueError where one is none."""
    _check(*pictures)
    return [np.asarray(a, np.float64) / 255 if a.dtype == np.uint8 else np.asarray(a, np.float64) for a in pictures]


@over_frames
def sharpness(a: Picture) -> float:
    """Return the variance of the Laplacian of a picture's luminance: more is sharper, or noisier; 0 is flat.

    Luminance 0.2126 R + 0.7152 G + 0.0722 B of the sRGB values as they are (Rec. 709 weights); the Laplacian is the sum
    of the four neighbours less four times the place, where all of them are inside (Pech-Pacheco et al. 2000, "Diatom
    autofocusing in brightfield microscopy"). ValueError below 3 pixels a side.
    """
    (a,) = _pictures(a)
    if min(a.shape[:2]) < 3:
        raise ValueError(f"sharpness needs at least 3 pixels a side; got {a.shape[1]} x {a.shape[0]}")
    light = a @ LUMINANCE
    laplacian = light[:-2, 1:-1] + light[2:, 1:-1] + light[1:-1, :-2] + light[1:-1, 2:] - 4 * light[1:-1, 1:-1]
    return float(np.var(laplacian))


@over_frames
def colour(a: Picture, b: Picture) -> float:
    """Return how far apart the colours of two pictures are: the mean CIEDE2000 difference over their pixels.

    1 is about what can just be seen. Sharma, Wu and Dalal (2005), "The CIEDE2000 Color-Difference Formula:
    Implementation Notes, Supplementary Test Data, and Mathematical Observations", with kL = kC = kH = 1; sRGB by IEC
    61966-2-1, the white of D65. ValueError where the shapes differ or are not those of a picture.
    """
    a, b = _checked(a, b)
    return float(np.mean(np.concatenate([ciede2000(lab(x), lab(y)) for x, y in zip(_rows(a), _rows(b), strict=True)])))


def _rows(a: NDArray[np.float64]) -> list[NDArray[np.float64]]:
    """Return a picture as rows of colours, a stretch at a time that stays in the processor's cache."""
    flat = a.reshape(-1, 3)
    return [flat[at : at + COLOURS_AT_A_TIME] for at in range(0, len(flat), COLOURS_AT_A_TIME)]
