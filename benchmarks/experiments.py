"""Experiments whose truth is known: runs of two variants, with everything that makes real ones hard to judge.

Launches differ from each other, and now and then one is slow as a whole; runs within one differ with a long tail to
the right; one in thirty is disturbed and takes up to 2.7 times as long; the machine grows slower over the session.
"""

from dataclasses import dataclass

import numpy as np

from unvek.core.stats.over_launches.launches import Sample

LAUNCH_SPREAD = 0.02  # the standard deviation of a launch's level, on the log scale
RUN_SPREAD = 0.01
SLOW_LAUNCHES, DISTURBED_RUNS, DRIFT = 0.04, 0.03, 0.03
WITHIN = 0.01  # by how much the later launch of a round is slower; each variant is the later one in turn
MODES, MODE_APART = 0.25, 0.08  # how many launches are in another mode, and how far apart the modes lie
MISSING = 0.2  # of the cells
HEAVY_DEGREES = 3  # of Student's distribution


@dataclass(frozen=True, slots=True, kw_only=True)
class Hardships:
    """What the experiments are to have."""

    skew: bool = True
    outliers: bool = True
    drift: bool = True
    heavy: bool = False
    disturbed: bool = False
    modes: bool = False
    missing: bool = False
    within: bool = False


def runs_of(rng: np.random.Generator, ratio: float, rounds: int, items: int, repeats: int, hard: Hardships,
            launch_spread: float = LAUNCH_SPREAD) -> tuple[Sample, Sample]:  # fmt: skip
    """Return the runs of a variant that takes `ratio` times as long as the reference, and the reference's."""
    shape = (rounds, items, repeats)
    where = [place.ravel() for place in np.indices(shape)]
    drift = np.linspace(0, DRIFT, rounds)[:, None, None] if hard.drift else 0.0
    of_items = rng.normal(0, 0.5, (1, items, 1))
    samples = []
    for side, level in enumerate((np.log(ratio), 0.0)):
        launch = _effects(rng, (rounds, 1, 1), hard) * launch_spread
        run = _effects(rng, shape, hard) * RUN_SPREAD
        if hard.outliers:
            launch = launch + (rng.random((rounds, 1, 1)) < SLOW_LAUNCHES) * rng.uniform(0.05, 0.2, (rounds, 1, 1))
        if hard.within:
            launch = launch + WITHIN * ((np.arange(rounds)[:, None, None] + side) % 2)
        if hard.modes:
            launch = launch + (rng.random((rounds, 1, 1)) < MODES) * MODE_APART
        if hard.outliers or hard.disturbed:
            run += (rng.random(shape) < DISTURBED_RUNS) * rng.uniform(0.1, 1.0, shape)
        times_s = np.exp(level + of_items + drift + launch + run).ravel()
        there = np.broadcast_to(rng.random((rounds, items, 1)) >= MISSING * hard.missing, shape).ravel()
        samples.append(Sample(times_s, where[0] + 1, 2 * where[0] + side, where[1]).where(there))
    return samples[0], samples[1]


def _effects(rng: np.random.Generator, shape: tuple[int, ...], hard: Hardships) -> np.ndarray:
    """Effects with mean 0 and standard deviation 1: a gamma's of shape 2, Student's of few degrees, or a normal's."""
    if hard.skew:
        return (rng.gamma(2.0, 1.0, shape) - 2.0) / np.sqrt(2.0)
    if hard.heavy:
        return rng.standard_t(HEAVY_DEGREES, shape) / np.sqrt(HEAVY_DEGREES / (HEAVY_DEGREES - 2))
    return rng.normal(0, 1, shape)
