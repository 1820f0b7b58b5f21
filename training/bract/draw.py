"""Draws the labels that bract learns from: a flower on a ground, from four attributes.

Every edge is anti-aliased from a distance to it, so a label is smooth at 48x48. All of it is made up here;
no picture from anywhere is used.
"""

import math

import numpy as np
from bract import CHOICES, SIZE

PETAL_TONES = np.array(  # inner and outer colour for COLOURS
    [
        [[0.70, 0.14, 0.33], [0.95, 0.50, 0.60]],
        [[0.80, 0.38, 0.05], [0.99, 0.75, 0.25]],
        [[0.32, 0.16, 0.58], [0.66, 0.48, 0.90]],
        [[0.78, 0.80, 0.84], [0.99, 0.98, 0.95]],
    ],
    np.float32,
)
PETAL_COUNTS = (4, 5, 6, 8)
GROUND_TONES = np.array(  # top and bottom colour for GROUNDS
    [
        [[0.83, 0.69, 0.53], [0.66, 0.47, 0.33]],
        [[0.86, 0.93, 0.80], [0.66, 0.82, 0.55]],
        [[0.05, 0.08, 0.20], [0.14, 0.20, 0.40]],
    ],
    np.float32,
)
LAND_TONES = np.array([[0.42, 0.27, 0.18], [0.42, 0.64, 0.32], [0.04, 0.10, 0.16]], np.float32)
STEM = np.array([0.20, 0.44, 0.22], np.float32)
LEAF = np.array([[0.22, 0.50, 0.25], [0.35, 0.66, 0.33]], np.float32)
HEART = np.array([[0.93, 0.75, 0.20], [0.62, 0.40, 0.10]], np.float32)
MOON = np.array([0.93, 0.91, 0.78], np.float32)

PIXEL = 2.0 / SIZE
AXIS = (np.arange(SIZE, dtype=np.float32) + 0.5) * PIXEL - 1
X, Y = np.meshgrid(AXIS, AXIS)


def cover(distance: np.ndarray) -> np.ndarray:
    """Share of a pixel inside a shape, from the distance to its edge (negative inside)."""
    return np.clip(0.5 - distance / PIXEL, 0, 1)


def ellipse(x, y, half_length, half_width) -> np.ndarray:
    """Distance to an ellipse's edge, right to first order near it."""
    level = np.sqrt((x / half_length) ** 2 + (y / half_width) ** 2) + 1e-6
    steepness = np.sqrt((x / half_length**2) ** 2 + (y / half_width**2) ** 2) / level + 1e-6
    return (level - 1) / steepness


def over(picture, tone, share) -> np.ndarray:
    return picture + (tone - picture) * share[..., None]


def random_attributes(rng: np.random.Generator, count: int) -> np.ndarray:
    """Return (count, 4) indices into CHOICES."""
    return np.stack([rng.integers(0, len(choices), count) for choices in CHOICES], axis=1)


def draw(rng: np.random.Generator, attributes: np.ndarray) -> np.ndarray:
    """Return (count, 48, 48, 3) in 0..1 for attributes (count, 4); place, size and turn vary."""
    return np.stack([draw_one(rng, *row) for row in attributes])


def draw_one(rng: np.random.Generator, colour: int, petals: int, ground: int, leaves: int) -> np.ndarray:
    centre_x, centre_y = rng.uniform(-0.06, 0.06), rng.uniform(-0.26, -0.18)
    radius = rng.uniform(0.55, 0.61)
    picture = draw_ground(rng, ground)
    green = STEM * rng.uniform(0.9, 1.1)
    bend = rng.uniform(-0.05, 0.05)
    down = np.clip((Y - centre_y) / (1 - centre_y), 0, 1)
    stem_x = centre_x + bend * np.sin(math.pi * down)
    picture = over(picture, green, cover(np.abs(X - stem_x) - 0.05) * (Y > centre_y))
    for side in (1, -1)[:leaves]:  # a single leaf always stands on the right
        picture = draw_leaf(picture, centre_x + bend * 0.8, rng.uniform(0.64, 0.68), side)
    count = PETAL_COUNTS[petals]
    turn = math.radians(rng.uniform(-18, 18))
    inner, outer = PETAL_TONES[colour] * rng.uniform(0.95, 1.02)
    width = radius * min(0.34, 1.62 / count)
    for place in range(count):
        angle = turn + 2 * math.pi * place / count
        along = (X - centre_x) * math.sin(angle) - (Y - centre_y) * math.cos(angle)
        across = (X - centre_x) * math.cos(angle) + (Y - centre_y) * math.sin(angle)
        edge = ellipse(along - 0.57 * radius, across, 0.43 * radius, width)
        shade = np.clip(along / radius, 0, 1)[..., None]
        picture = over(picture, inner * 0.8, cover(edge))
        picture = over(picture, inner + (outer - inner) * shade, cover(edge + 0.035))
    middle = np.hypot(X - centre_x, Y - centre_y)
    picture = over(picture, HEART[1], cover(middle - 0.27 * radius))
    picture = over(picture, HEART[0], cover(middle - 0.27 * radius + 0.045))
    return np.clip(picture, 0, 1).astype(np.float32)


def draw_ground(rng: np.random.Generator, ground: int) -> np.ndarray:
    top, bottom = GROUND_TONES[ground]
    picture = top + (bottom - top) * ((Y + 1) / 2)[..., None]
    if ground == 2:
        x, y = rng.uniform(-0.82, -0.72), rng.uniform(-0.82, -0.72)
        moon = cover(np.hypot(X - x, Y - y) - 0.15)
        picture = over(picture, MOON, moon * (1 - cover(np.hypot(X - x - 0.08, Y - y + 0.05) - 0.13)))
    hill = 0.80 + rng.uniform(-0.04, 0.04) + 0.06 * np.cos(2.4 * X + rng.uniform(-0.6, 0.6))
    return over(picture, LAND_TONES[ground], cover(hill - Y))


def draw_leaf(picture: np.ndarray, x: float, y: float, side: int) -> np.ndarray:
    angle = math.radians(32)
    along = side * (X - x) * math.cos(angle) - (Y - y) * math.sin(angle)
    across = side * (X - x) * math.sin(angle) + (Y - y) * math.cos(angle)
    edge = ellipse(along - 0.26, across, 0.25, 0.105)
    picture = over(picture, LEAF[0], cover(edge))
    return over(picture, LEAF[1], cover(edge + 0.04) * (across < 0))
