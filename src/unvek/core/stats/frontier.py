"""Which of several are beaten by none on every count, and how probable that is."""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

DRAWS = 2000


def beats(costs: Floats) -> NDArray[np.bool_]:
    """Return (n, n) of whether row i beats row j: no worse on every count and better on one.

    costs: (..., n, counts), less is better. Where a count is unknown (NaN) neither beats the other.
    """
    ours, theirs = costs[..., :, None, :], costs[..., None, :, :]
    return np.asarray(np.all(ours <= theirs, axis=-1) & np.any(ours < theirs, axis=-1))


def on_frontier(costs: Floats) -> NDArray[np.bool_]:
    """Return (..., n) of whether no other row beats this one; costs as for `beats`."""
    return np.asarray(~np.any(beats(costs), axis=-2))


def frontier_probabilities(costs_by_round: Floats, draws: int = DRAWS, seed: int = 1) -> Floats:
    """Return (n,) the share of resamplings in which each row is on the frontier.

    costs_by_round: (rounds, n, counts). Rounds are drawn with replacement, the same ones for every row, and a
    row's costs are the means over them: what the rows shared in a round they share in the draw (Efron 1979,
    "Bootstrap Methods: Another Look at the Jackknife", for jointly drawn units). Unknown costs are left out of
    the means. Fixed seed: the same data give the same probabilities.
    """
    rounds = len(costs_by_round)
    picks = np.random.default_rng(seed).integers(0, rounds, (draws, rounds))
    known = np.isfinite(costs_by_round)
    filled = np.where(known, costs_by_round, 0.0)
    weights = np.stack([np.count_nonzero(picks == number, axis=1) for number in range(rounds)], axis=1).astype(float)
    sums = np.tensordot(weights, filled, axes=1)
    counts = np.tensordot(weights, known.astype(float), axes=1)
    means = np.divide(sums, counts, out=np.full_like(sums, np.nan), where=counts > 0)
    return np.asarray(on_frontier(means).mean(axis=0))
