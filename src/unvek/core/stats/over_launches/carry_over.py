"""What a launch leaves behind: whether those that follow one variant take longer than those that follow another."""

from dataclasses import dataclass

import numpy as np

from unvek.core.stats.grouping import Floats, Whole, numbered
from unvek.core.stats.quantiles import student_quantile
from unvek.core.stats.student import share_below

MOST_LAUNCHES = 2000  # beyond which the equations grow long; what is left behind is then known from the first ones


@dataclass(frozen=True, slots=True)
class LeftBehind:
    """(n,) by how much longer a launch takes after each variant than after the mean of the others, as a share; with
    the interval of all together.
    """

    values: Floats
    lows: Floats
    highs: Floats


def carry_over(levels: Floats, variants: Whole, rounds: Whole, before: Whole) -> LeftBehind | None:
    """Estimate what each variant leaves behind for the next launch.

    levels: (n,) the logarithm of what each launch took; variants, rounds: which it is of, from 0; before: (n,) the
    variant launched right before it, -1 for none. Least squares of variant + round + what the one before has left, the
    intervals Student's, of all variants together (Bonferroni). None where the order does not tell these apart: as where
    each variant always follows the same one, or of fewer than three.
    """
    these = np.flatnonzero(before >= 0)[:MOST_LAUNCHES]
    count, n = int(max(variants.max(initial=-1), before.max(initial=-1))) + 1, len(these)
    if count < 3 or n < 2 * count:
        return None
    of_round, round_count = numbered(rounds[these])
    columns = [np.eye(count)[variants[these]], np.eye(round_count)[of_round][:, 1:], np.eye(count)[before[these]]]
    design = np.hstack(columns)
    # What is left behind is told up to a constant: that of all variants sums to 0.
    rows = np.vstack([design, np.r_[np.zeros(design.shape[1] - count), np.ones(count)]])
    inverse, rank = np.linalg.pinv(rows), int(np.linalg.matrix_rank(rows))
    degrees = n + 1 - rank
    if rank < design.shape[1] or degrees < 1:
        return None
    solution = inverse @ np.r_[levels[these], 0.0]
    apart = levels[these] - design @ solution
    variance = float(apart @ apart) / degrees
    found, errors = solution[-count:], np.sqrt(variance * np.sum(inverse[-count:, :-1] ** 2, axis=1))
    # After one against after the mean of the others: count / (count - 1) times what it is from the mean of all.
    widened = count / (count - 1)
    half_widths = student_quantile(share_below(count), degrees) * errors * widened
    values = found * widened
    return LeftBehind(np.expm1(values), np.expm1(values - half_widths), np.expm1(values + half_widths))
