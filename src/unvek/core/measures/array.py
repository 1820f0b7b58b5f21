"""Measures of arrays of numbers of any shape: how far one is from another."""

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.number]


def relative_l2(a: Array, b: Array) -> float:
    """Return the length of a - b over that of b (Euclidean); 0 is the same. ValueError where b is 0 throughout."""
    a, b = _checked(a, b)
    length = float(np.linalg.norm(b))
    if length == 0:
        raise ValueError("the array that it is held against is 0 throughout")
    return float(np.linalg.norm(a - b)) / length


def cosine(a: Array, b: Array) -> float:
    """Return the cosine of the angle between two arrays; 1 is the same direction. ValueError where one has none."""
    a, b = _checked(a, b)
    lengths = float(np.linalg.norm(a)) * float(np.linalg.norm(b))
    if lengths == 0:
        raise ValueError("an array that is 0 throughout has no direction")
    return float(np.clip(np.dot(a, b) / lengths, -1.0, 1.0))


def largest_difference(a: Array, b: Array) -> float:
    """Return the largest difference of two numbers in the same place."""
    a, b = _checked(a, b)
    return float(np.max(np.abs(a - b)))


def _checked(a: Array, b: Array) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    if a.shape != b.shape or a.size == 0:
        raise ValueError(f"wanted two arrays of one shape; got {a.shape} and {b.shape}")
    a, b = np.asarray(a, np.float64).ravel(), np.asarray(b, np.float64).ravel()
    if not (np.all(np.isfinite(a)) and np.all(np.isfinite(b))):
        raise ValueError("not all of its numbers, or of those that it is held against, are finite")
    return a, b
