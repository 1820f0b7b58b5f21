"""Machines of one kind as a sample of that kind: what a ratio is on them in the mean, and on one more of them.

A ratio that is known to a per cent on one machine may be another by ten per cent on its twin: runs and rounds on one
machine say nothing of that. What is asked of the kind is answered over machines, each of which counts once.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from unvek.core.stats.grouping import Floats
from unvek.core.stats.quantiles import student_quantile
from unvek.core.stats.student import share_below

Key = TypeVar("Key")


@dataclass(frozen=True, slots=True, kw_only=True)
class OverMachines:
    """A ratio over machines: the geometric mean, with intervals of which all of a table hold together 95 in 100 times.

    low and high are of the mean over the kind; another_low and another_high are where the ratio on one more machine of
    the kind is. spread is the standard deviation of its log from machine to machine, with what few rounds add to it.
    """

    value: float
    low: float | None
    high: float | None
    another_low: float | None
    another_high: float | None
    spread: float | None
    machines: int


def over_machines(logs: Mapping[Key, Floats]) -> dict[Key, OverMachines]:
    """Return each comparison's ratio over machines, from the logs of its ratio on each, (machines,).

    Student's intervals of a mean and of one more value, over machines as the units (Kalibera and Jones 2013, "Rigorous
    Benchmarking in Reasonable Time", section 9, of the highest level of repetition; Hahn and Meeker 1991, "Statistical
    Intervals", section 4.7, of a further value). What rounds on one machine leave open is in the spread. Each leaves
    out 5 % divided by the number of comparisons (Bonferroni's bound).
    """
    known = sum(len(values) > 1 for values in logs.values())
    return {key: _over(values, max(1, known)) for key, values in logs.items() if len(values)}


def _over(values: Floats, comparisons: int) -> OverMachines:
    mean, count = float(np.mean(values)), len(values)
    if count < 2:
        return OverMachines(
            value=math.exp(mean), low=None, high=None, another_low=None, another_high=None, spread=None, machines=count
        )
    spread = float(np.std(values, ddof=1))
    reach = spread * student_quantile(share_below(comparisons), count - 1)
    of_mean, of_another = reach / math.sqrt(count), reach * math.sqrt(1 + 1 / count)
    return OverMachines(
        value=math.exp(mean), low=_exp(mean - of_mean), high=_exp(mean + of_mean), another_low=_exp(mean - of_another),
        another_high=_exp(mean + of_another), spread=spread, machines=count,
    )  # fmt: skip


def _exp(log: float) -> float:
    """Return the number; of two machines that differ much an interval may reach further than any number does."""
    return math.exp(min(700.0, max(-700.0, log)))


def furthest_apart(levels: Floats) -> tuple[int, int, float]:
    """Return the places of the lowest and the highest of the logs of levels (n,), and the highest over the lowest."""
    low, high = int(np.argmin(levels)), int(np.argmax(levels))
    return low, high, math.exp(float(levels[high] - levels[low]))
