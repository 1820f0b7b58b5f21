"""Locations, ratios and shares, each with the interval that the data support."""

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtri, stdtrit

CONFIDENCE = 0.95
Floats = NDArray[np.float64]
Whole = NDArray[np.integer]


@dataclass(frozen=True, slots=True, kw_only=True)
class Estimate:
    """A value with its 95 % interval; low and high are None where the data give no interval (one round)."""

    value: float
    low: float | None
    high: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Ratio:
    """A variant over the reference, with the interval; `spread` is the standard deviation of its log over rounds."""

    value: float
    low: float | None
    high: float | None
    rounds: int
    spread: float | None


def location(values: Floats, rounds: Whole) -> Estimate | None:
    """Return the median of values (n,) and its interval over rounds (n,), the unit of replication.

    The interval is Student's over the rounds' medians, on the log scale where all are positive: repeats within a
    round share its process, so they do not count as independent (Georges, Buytaert and Eeckhout 2007,
    "Statistically Rigorous Java Performance Evaluation", section 3). It is widened to hold the median itself.
    None for no values.
    """
    values, rounds = _finite(values, rounds)
    if not len(values):
        return None
    middle = float(np.median(values))
    medians = np.array([np.median(values[rounds == number]) for number in np.unique(rounds)])
    on_logs = bool(np.all(medians > 0))
    mean, half_width = mean_and_half_width(np.log(medians) if on_logs else medians)
    if half_width is None:
        return Estimate(value=middle, low=None, high=None)
    low, high = mean - half_width, mean + half_width
    if on_logs:
        low, high = math.exp(low), math.exp(high)
    return Estimate(value=middle, low=min(low, middle), high=max(high, middle))


def paired_ratio(
    values: Floats, rounds: Whole, items: Whole, reference: Floats, reference_rounds: Whole, reference_items: Whole
) -> Ratio | None:
    """Return values over reference, paired within round and item.

    For each round and item that both have, the difference of the medians of logs over repeats; the mean of these
    over items is the round's log ratio; the mean over rounds is the estimate, with Student's interval (Kalibera
    and Jones 2013, "Rigorous Benchmarking in Reasonable Time", section 9, on ratios over the highest level of
    repetition). Assumes rounds to be independent. None where nothing pairs, or a value is not positive.
    """
    ours, theirs = _cell_logs(values, rounds, items), _cell_logs(reference, reference_rounds, reference_items)
    if ours is None or theirs is None:
        return None
    by_round: dict[int, list[float]] = {}
    for cell, level in ours.items():
        if cell in theirs:
            by_round.setdefault(cell[0], []).append(level - theirs[cell])
    if not by_round:
        return None
    logs = np.array([np.mean(differences) for differences in by_round.values()])
    mean, half_width = mean_and_half_width(logs)
    return Ratio(
        value=math.exp(mean),
        low=None if half_width is None else math.exp(mean - half_width),
        high=None if half_width is None else math.exp(mean + half_width),
        rounds=len(logs),
        spread=float(np.std(logs, ddof=1)) if len(logs) > 1 else None,
    )


def mean_and_half_width(values: Floats) -> tuple[float, float | None]:
    """Return the mean of independent values and the half-width of Student's 95 % interval (None for one value)."""
    mean, count = float(np.mean(values)), len(values)
    if count < 2:
        return mean, None
    return mean, student_factor(count) * float(np.std(values, ddof=1)) / math.sqrt(count)


def student_factor(count: int) -> float:
    """Return Student's t for a two-sided 95 % interval from this many values."""
    return float(stdtrit(count - 1, 0.5 + CONFIDENCE / 2))


def wilson(count: int, total: int) -> tuple[float, float]:
    """Return the 95 % interval of a share, count of total (Wilson 1927; Brown, Cai and DasGupta 2001, eq. 4)."""
    if total == 0:
        return 0.0, 1.0
    z = float(ndtri(0.5 + CONFIDENCE / 2))
    share = count / total
    centre = (share + z * z / (2 * total)) / (1 + z * z / total)
    half_width = z / (1 + z * z / total) * math.sqrt(share * (1 - share) / total + z * z / (4 * total * total))
    return max(0.0, centre - half_width), min(1.0, centre + half_width)


def _cell_logs(values: Floats, rounds: Whole, items: Whole) -> dict[tuple[int, int], float] | None:
    """The median log of each round's item; None where a value has no logarithm."""
    values, rounds, items = _finite(values, rounds, items)
    if not np.all(values > 0):
        return None
    logs = np.log(values)
    order = np.lexsort((items, rounds))
    logs, rounds, items = logs[order], rounds[order], items[order]
    changes = (np.diff(rounds) != 0) | (np.diff(items) != 0)
    starts = np.flatnonzero(np.r_[True, changes][: len(logs)])
    groups = np.split(logs, starts[1:]) if len(starts) else []
    return {
        (int(rounds[start]), int(items[start])): float(np.median(group))
        for start, group in zip(starts, groups, strict=True)
    }


def _finite(values: Floats, *along: Whole) -> tuple[NDArray[Any], ...]:
    known = np.isfinite(values)
    return (values[known], *(array[known] for array in along))
