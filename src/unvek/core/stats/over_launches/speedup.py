"""Where a speed-up comes from: fewer steps, faster steps, or what a run takes beside its steps."""

import math
from dataclasses import dataclass, replace

import numpy as np

from unvek.core.stats.grouping import Floats, Whole
from unvek.core.stats.over_launches.launches import Sample, pairing_of
from unvek.core.stats.over_launches.levels import Cells, levels_of
from unvek.core.stats.student import Estimate, mean_and_half_width


@dataclass(frozen=True, slots=True, kw_only=True)
class SteppedRuns:
    """Runs of one variant: (n,) seconds, counts of steps, seconds a step, and each one's round, launch and item."""

    time_s: Floats
    steps: Floats
    step_s: Floats
    rounds: Whole
    launches: Whole
    items: Whole

    def known(self) -> "SteppedRuns":
        """Return the runs that took steps, of which all is known."""
        these = np.isfinite(self.time_s * self.steps * self.step_s)
        these &= (self.time_s > 0) & (self.steps > 0) & (self.step_s > 0)
        return SteppedRuns(
            time_s=self.time_s[these], steps=self.steps[these], step_s=self.step_s[these], rounds=self.rounds[these],
            launches=self.launches[these], items=self.items[these],
        )  # fmt: skip

    def sample(self, values: Floats) -> Sample:
        return Sample(values, self.rounds, self.launches, self.items)


@dataclass(frozen=True, slots=True, kw_only=True)
class Split:
    """Seconds by which a variant takes less than the reference (more: below 0), in three parts that add up.

    steps and reference_steps are their counts of steps, step_s and reference_step_s their seconds a step.
    """

    fewer_steps_s: Estimate
    faster_steps_s: Estimate
    fixed_s: Estimate
    steps: float
    reference_steps: float
    step_s: float
    reference_step_s: float


@dataclass(frozen=True, slots=True)
class _Sides:
    """A side's levels of logs, of time, steps and seconds a step: one of each, or one for each pair of launches."""

    time_s: Floats
    steps: Floats
    step_s: Floats


def split_speed_up(ours: SteppedRuns, theirs: SteppedRuns) -> Split | None:
    """Split the time saved against the reference, from the levels that the ratio of times is of, pair by pair.

    A run takes n steps of s seconds and what comes beside them. What the steps save, n0 s0 - n s, is L log(n0 / n) by
    their number and L log(s0 / s) by their time, with L the logarithmic mean of n0 s0 and n s (Ang, Zhang and Choi
    1998, "Factorizing changes in energy and environmental indicators through decomposition", the log-mean Divisia
    form); the rest is what is saved beside the steps. So the parts add up to the difference of the two typical times.
    Each has Student's interval over pairs of launches. None where either takes no steps, or nothing pairs.
    """
    ours, theirs = ours.known(), theirs.known()
    pairing = pairing_of(ours.sample(ours.time_s), theirs.sample(theirs.time_s))
    if pairing is None:
        return None
    mine, other = (
        _Sides(*(_levels(pairing.cells(values, side)) for values in (runs.time_s, runs.steps, runs.step_s)))
        for runs, side in ((ours, pairing.ours), (theirs, pairing.theirs))
    )
    by_pair = _parts(mine, other)
    typical, usual = (
        _Sides(*(level.mean(keepdims=True) for level in (of.time_s, of.steps, of.step_s))) for of in (mine, other)
    )
    fewer, faster, fixed = (
        _around(float(part[0]), each) for part, each in zip(_parts(typical, usual), by_pair, strict=True)
    )
    return Split(
        fewer_steps_s=fewer, faster_steps_s=faster, fixed_s=fixed,
        steps=math.exp(typical.steps[0]), reference_steps=math.exp(usual.steps[0]),
        step_s=math.exp(typical.step_s[0]), reference_step_s=math.exp(usual.step_s[0]),
    )  # fmt: skip


def _levels(cells: Cells) -> Floats:
    return levels_of(replace(cells, values=np.log(cells.values))).values


def _parts(ours: _Sides, theirs: _Sides) -> tuple[Floats, Floats, Floats]:
    """Return what is saved by the number of steps, by their time, and beside them."""
    stepped, their_stepped = np.exp(ours.steps + ours.step_s), np.exp(theirs.steps + theirs.step_s)
    middle = logarithmic_mean(their_stepped, stepped)
    saved = np.exp(theirs.time_s) - np.exp(ours.time_s)
    return (
        middle * (theirs.steps - ours.steps),
        middle * (theirs.step_s - ours.step_s),
        saved - (their_stepped - stepped),
    )


def logarithmic_mean(a: Floats, b: Floats) -> Floats:
    """Return (a - b) / log(a / b) of positive numbers, which is a where both are the same (Carlson 1972)."""
    logs = np.log(a / b)
    near = np.abs(logs) < 1e-6
    return np.where(near, np.sqrt(a * b), np.divide(a - b, logs, out=np.ones_like(logs), where=~near))


def _around(value: float, of_pairs: Floats) -> Estimate:
    """Return a part of the typical times, with the interval that the parts of the pairs of launches have."""
    _, half_width = mean_and_half_width(of_pairs)
    if half_width is None:
        return Estimate(value=value, low=None, high=None)
    return Estimate(value=value, low=value - half_width, high=value + half_width)
