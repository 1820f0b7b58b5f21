"""Colours in a space where distances are as they are seen, and the distance of two."""

import numpy as np
from numpy.typing import NDArray

# IEC 61966-2-1, from linear sRGB to CIE XYZ, and the white of D65 for the observer of 2 degrees.
XYZ_OF_RGB = np.array([[0.412453, 0.357580, 0.180423], [0.212671, 0.715160, 0.072169], [0.019334, 0.119193, 0.950227]])
WHITE_D65 = np.array([0.95047, 1.0, 1.08883])


def lab(colours: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return sRGB colours (..., 3) in CIE 1976 L*a*b* under D65."""
    linear = np.where(colours <= 0.04045, colours / 12.92, ((colours + 0.055) / 1.055) ** 2.4)
    ratios = linear @ XYZ_OF_RGB.T / WHITE_D65
    f = np.where(ratios > (6 / 29) ** 3, np.cbrt(ratios), ratios / (3 * (6 / 29) ** 2) + 4 / 29)
    x, y, z = np.moveaxis(f, -1, 0)
    return np.stack([116 * y - 16, 500 * (x - y), 200 * (y - z)], axis=-1)


def ciede2000(one: NDArray[np.float64], other: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the CIEDE2000 difference of colours in L*a*b*, (..., 3) each: Sharma et al. (2005), equations 2 to 22."""
    (l1, a1, b1), (l2, a2, b2) = np.moveaxis(one, -1, 0), np.moveaxis(other, -1, 0)
    chroma = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2
    stretch = 1.5 - 0.5 * np.sqrt(chroma**7 / (chroma**7 + 25.0**7))
    a1, a2 = a1 * stretch, a2 * stretch
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360
    has_hue = c1 * c2 != 0
    turn = h2 - h1
    turn = np.where(turn > 180, turn - 360, np.where(turn < -180, turn + 360, turn))
    hue_difference = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(np.where(has_hue, turn, 0.0)) / 2)
    lightness, chroma, hue = (l1 + l2) / 2, (c1 + c2) / 2, h1 + h2
    apart = np.abs(h1 - h2) > 180
    middle_hue = np.where(has_hue, np.where(apart, np.where(hue < 360, hue + 360, hue - 360), hue) / 2, hue)
    t = (
        1
        - 0.17 * np.cos(np.radians(middle_hue - 30))
        + 0.24 * np.cos(np.radians(2 * middle_hue))
        + 0.32 * np.cos(np.radians(3 * middle_hue + 6))
        - 0.20 * np.cos(np.radians(4 * middle_hue - 63))
    )
    off_middle = (lightness - 50) ** 2
    of_lightness = (l2 - l1) / (1 + 0.015 * off_middle / np.sqrt(20 + off_middle))
    of_chroma = (c2 - c1) / (1 + 0.045 * chroma)
    of_hue = hue_difference / (1 + 0.015 * chroma * t)
    turned = 2 * np.sqrt(chroma**7 / (chroma**7 + 25.0**7))
    turned = -turned * np.sin(np.radians(60 * np.exp(-(((middle_hue - 275) / 25) ** 2))))
    return np.asarray(np.sqrt(of_lightness**2 + of_chroma**2 + of_hue**2 + turned * of_chroma * of_hue))
