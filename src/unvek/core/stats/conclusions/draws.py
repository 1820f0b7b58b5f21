"""Draws of what variants may truly be, given what was seen of them: jointly, as what they share goes up and down."""

import numpy as np
from numpy.typing import NDArray

from unvek.core.stats.grouping import Floats

DRAWS = 4000
JEFFREYS = 0.5  # of right and of wrong, before anything is seen (Jeffreys 1946)


def ratio_draws(logs: Floats, errors: Floats, degrees: Floats, rng: np.random.Generator, draws: int = DRAWS) -> Floats:
    """Return (draws, n) logs of ratios to one reference, of Student's distribution around what was found.

    logs, errors, degrees: (n,) each ratio's logarithm, its standard error (0 for the reference itself, NaN where it is
    not known) and that error's degrees of freedom. All have the reference's launches in common: half of each error is
    drawn once for all (variants of the same spread; Dunnett 1955, "A multiple comparison procedure for comparing
    several treatments with a control", has 1/2 for the correlation). On one machine spreads are too large together:
    they are drawn by one scale.
    """
    own, shared = rng.standard_normal((draws, len(logs))), rng.standard_normal((draws, 1))
    known = degrees[np.isfinite(degrees) & (errors > 0)]
    scale = _students_scale(float(np.median(known)) if len(known) else np.inf, draws, rng)
    return np.asarray(logs + errors * (own - shared) / np.sqrt(2) * scale)


def score_draws(
    of_tasks: Floats, centres: Floats, rng: np.random.Generator, draws: int = DRAWS, are_shares: bool = False
) -> Floats:
    """Return (draws, n) mean scores, as other tasks of the same kind might have given them.

    of_tasks: (tasks, n) each one's score on each task, NaN where unknown; centres: (n,) what is shown of each. A task
    that is hard is so for all: the same tasks are drawn for every variant, from Student's distribution with the
    sample's covariance. With `are_shares`, what is 0 or 1 on every task is drawn from its posterior (Beta, with
    Jeffreys' prior): five of five are not sure. Of one task nothing is drawn: NaN.
    """
    known = np.isfinite(of_tasks)
    counts = np.count_nonzero(known, axis=0)
    apart = np.where(known, of_tasks - np.nanmean(of_tasks, axis=0), 0.0)
    weights = rng.standard_normal((draws, len(of_tasks)))
    with np.errstate(divide="ignore", invalid="ignore"):
        moved = weights @ apart / np.sqrt(counts * (counts - 1.0))
    found = centres + moved * _students_scale(float(np.median(counts)) - 1, draws, rng)
    found[:, counts < 2] = np.nan
    yes_or_no = np.all(~known | (of_tasks == 0) | (of_tasks == 1), axis=0) & (counts > 1)
    for place in np.flatnonzero(yes_or_no) if are_shares else ():
        right = float(np.nansum(of_tasks[:, place]))
        found[:, place] = rng.beta(right + JEFFREYS, counts[place] - right + JEFFREYS, draws)
    return np.asarray(found)


def with_launches(draws: Floats, errors: Floats, degrees: float, rng: np.random.Generator) -> Floats:
    """Return the draws with what launches add to them: errors (n,) are standard errors over launches."""
    return draws + errors * rng.standard_normal(draws.shape) * _students_scale(degrees, len(draws), rng)


def share_of(these: NDArray[np.bool_]) -> Floats:
    """Return (n,) in what share of the draws (draws, n) something holds: never in none or in all of them."""
    return np.asarray((np.count_nonzero(these, axis=0) + 1) / (len(these) + 2))


def _students_scale(degrees: float, draws: int, rng: np.random.Generator) -> Floats:
    """Return (draws, 1) what a normal draw is multiplied with to be Student's."""
    if not np.isfinite(degrees):
        return np.ones((draws, 1))
    degrees = max(degrees, 1.0)
    return np.sqrt(degrees / (2 * rng.gamma(degrees / 2, 1.0, (draws, 1))))
