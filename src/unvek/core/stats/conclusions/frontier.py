"""Which of several are beaten by none, where what differs by less than a margin is even; and how probable that is."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from unvek.core.stats.conclusions.draws import share_of
from unvek.core.stats.grouping import Floats

Truths = NDArray[np.bool_]
AT_ONCE = 2_000_000  # pairs that are held against each other at a time: memory, not speed


@dataclass(frozen=True, slots=True, kw_only=True)
class Costs:
    """(n, counts) what each of n costs, less is better, NaN where unknown; (draws, n, counts) what it may truly be.

    margins: (counts,) by how much two may differ and be even.
    """

    found: Floats
    drawn: Floats
    margins: Floats


def beats(costs: Floats, margins: Floats) -> Truths:
    """Return (..., n, n) whether row i beats row j: on no count worse by more than its margin, on one better by more.

    costs: (..., n, counts). Where a count is unknown (NaN) neither beats the other.
    """
    saved = costs[..., None, :, :] - costs[..., :, None, :]  # by how much i is better than j
    with np.errstate(invalid="ignore"):
        return np.asarray(np.all(saved >= -margins, axis=-1) & np.any(saved > margins, axis=-1))


def even(costs: Floats, margins: Floats) -> Truths:
    """Return (n, n) whether two rows differ by no more than the margin on every count."""
    with np.errstate(invalid="ignore"):
        return np.asarray(np.all(np.abs(costs[:, None, :] - costs[None, :, :]) <= margins, axis=-1))


def beaten(found: Truths) -> Truths:
    """Return (..., n) whether a row is beaten; found: (..., n, n) as `beats` has it.

    Margins let it go round in a circle: a beats b, b beats c, and c beats a. By those that it beats in turn, through
    others, nothing is beaten: all in the circle stay.
    """
    lost = np.asarray(np.any(found, axis=-2))
    if found.ndim == 2:
        return _beaten_from_outside(found) if _goes_round(found[None])[0] else lost
    rare = np.flatnonzero(_goes_round(found))
    lost[rare] = _beaten_from_outside(found[rare])
    return lost


def _beaten_from_outside(found: Truths) -> Truths:
    """Return (..., n) whether a row is beaten by one that it does not beat in turn, itself or through others."""
    return np.asarray(np.any(found & ~np.swapaxes(_through_others(found), -1, -2), axis=-2))


def _goes_round(found: Truths) -> Truths:
    """Return (draws,) whether anything goes round in a circle: some are left once all unbeaten ones are taken away."""
    left = np.ones(found.shape[:2], bool)
    while True:
        still = left & np.any(found & left[:, :, None], axis=1)
        if np.array_equal(still, left):
            return np.asarray(np.any(left, axis=1))
        left = still


def circles(found: Truths) -> Truths:
    """Return (n,) which rows are in a circle; found: (n, n) as `beats` has it."""
    reached = _through_others(found)
    return np.asarray(np.any(found & reached.T, axis=0))


def frontier_probabilities(costs: Costs) -> Floats:
    """Return (n,) the share of draws in which each is beaten by none.

    NaN where nothing of it could be drawn, where one of which nothing could be drawn seems to beat it, and where there
    is no other of which anything could: what was seen once may be luck.
    """
    n = len(costs.found)
    at_once = max(1, AT_ONCE // max(1, n * n))
    stays = [
        ~beaten(beats(costs.drawn[start : start + at_once], costs.margins))
        for start in range(0, len(costs.drawn), at_once)
    ]
    is_drawn = ~np.any(np.isnan(costs.drawn), axis=(0, 2))
    is_open = np.any(beats(costs.found, costs.margins) & ~is_drawn[:, None], axis=0)
    if n > 1 and np.count_nonzero(is_drawn) < 2:
        return np.full(n, np.nan)
    return np.where(is_drawn & ~is_open, share_of(np.concatenate(stays)), np.nan)


def _through_others(found: Truths) -> Truths:
    """Return whether row i beats row j, itself or through others that it beats (Warshall 1962)."""
    reached = found.copy()
    for through in range(found.shape[-1]):
        reached |= reached[..., :, through, None] & reached[..., None, through, :]
    return reached
