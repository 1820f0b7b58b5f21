"""Where a speed-up comes from: fewer steps, faster steps, or what a run takes beside its steps."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from unvek.core.stats.grouping import Floats, Whole
from unvek.core.stats.over_launches.launches import Sample, pairing_of, widened
from unvek.core.stats.over_launches.levels import Cells, levels_of
from unvek.core.stats.student import Estimate, mean_and_half_width

ALL_STEPS = "steps"  # where they are of one kind


@dataclass(frozen=True, slots=True, kw_only=True)
class Steps:
    """(n,) counts of steps of one kind in runs, and the seconds of each."""

    count: Floats
    each_s: Floats

    def take(self, these: NDArray[np.bool_]) -> "Steps":
        return Steps(count=self.count[these], each_s=self.each_s[these])


@dataclass(frozen=True, slots=True, kw_only=True)
class SteppedRuns:
    """Runs of one variant: (n,) seconds, steps by their kind, and each one's round, launch and item.

    Steps of one stage are of one kind, a coarse pass and a fine one of two. unseen: as of a `Sample`.
    """

    time_s: Floats
    steps: Mapping[str, Steps]
    rounds: Whole
    launches: Whole
    items: Whole
    unseen: float = 0.0

    def known(self) -> "SteppedRuns":
        """Return the runs that took steps of every kind, of which all is known."""
        these = np.isfinite(self.time_s) & (self.time_s > 0)
        for steps in self.steps.values():
            these &= np.isfinite(steps.count * steps.each_s) & (steps.count > 0) & (steps.each_s > 0)
        return SteppedRuns(
            time_s=self.time_s[these], steps={name: steps.take(these) for name, steps in self.steps.items()},
            rounds=self.rounds[these], launches=self.launches[these], items=self.items[these], unseen=self.unseen,
        )  # fmt: skip

    def together(self) -> "SteppedRuns":
        """Return the same with steps of one kind: all of them, each of which takes what one does on average."""
        known = self.known()
        count = np.sum([steps.count for steps in known.steps.values()], axis=0)
        taken_s = np.sum([steps.count * steps.each_s for steps in known.steps.values()], axis=0)
        return replace(known, steps={ALL_STEPS: Steps(count=count, each_s=taken_s / count)})

    def sample(self, values: Floats) -> Sample:
        return Sample(values, self.rounds, self.launches, self.items)


@dataclass(frozen=True, slots=True, kw_only=True)
class StageSplit:
    """What one kind of steps saves: by their number, and by the time of each; a stage's own, or of all steps."""

    name: str
    fewer_steps_s: Estimate
    faster_steps_s: Estimate
    steps: float
    reference_steps: float
    step_s: float
    reference_step_s: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Split:
    """Seconds by which a variant takes less than the reference (more: below 0), in three parts that add up.

    steps and reference_steps are their counts of steps, step_s and reference_step_s their seconds a step. Where both
    have the same stages, each with steps of its own kind, `stages` tells them apart, and the first two are their sums.
    """

    fewer_steps_s: Estimate
    faster_steps_s: Estimate
    fixed_s: Estimate
    steps: float
    reference_steps: float
    step_s: float
    reference_step_s: float
    stages: tuple[StageSplit, ...] = ()


@dataclass(frozen=True, slots=True)
class _Sides:
    """A side's levels of logs: of time, and by the kind of steps of their number and the seconds of each.

    One of each, or one for each pair of launches.
    """

    time_s: Floats
    count: Mapping[str, Floats]
    each_s: Mapping[str, Floats]

    def mean(self) -> "_Sides":
        """Return the levels of the typical run."""
        return _Sides(
            self.time_s.mean(keepdims=True),
            {name: level.mean(keepdims=True) for name, level in self.count.items()},
            {name: level.mean(keepdims=True) for name, level in self.each_s.items()},
        )

    def taken_s(self, name: str) -> Floats:
        return np.asarray(np.exp(self.count[name] + self.each_s[name]))


def split_speed_up(ours: SteppedRuns, theirs: SteppedRuns) -> Split | None:
    """Split the time saved against the reference, from the levels that the ratio of times is of, pair by pair.

    A run takes n steps of s seconds and what comes beside them. What the steps save, n0 s0 - n s, is L log(n0 / n) by
    their number and L log(s0 / s) by their time, with L the logarithmic mean of n0 s0 and n s (Ang, Zhang and Choi
    1998, "Factorizing changes in energy and environmental indicators through decomposition", the log-mean Divisia
    form); the rest is what is saved beside the steps. So the parts add up to the difference of the two typical times.
    Each has Student's interval over pairs of launches. Steps of several kinds are split each for itself, where both
    have the same kinds; else all steps count as of one. None where either takes no steps, or nothing pairs.
    """
    if ours.steps.keys() != theirs.steps.keys():
        ours, theirs = ours.together(), theirs.together()
    ours, theirs = ours.known(), theirs.known()
    pairing = pairing_of(ours.sample(ours.time_s), theirs.sample(theirs.time_s))
    if pairing is None:
        return None
    mine, other = (
        _Sides(
            _levels(side.cells(runs.time_s)),
            {name: _levels(side.cells(steps.count)) for name, steps in runs.steps.items()},
            {name: _levels(side.cells(steps.each_s)) for name, steps in runs.steps.items()},
        )
        for runs, side in ((ours, pairing.ours), (theirs, pairing.theirs))
    )
    typical, usual = mine.mean(), other.mean()
    stages = tuple(
        _stage(name, _saved(typical, usual, name), _saved(mine, other, name), typical, usual) for name in ours.steps
    )
    by_number, by_time = (
        [sum(part) for part in zip(*(_saved(of, against, name) for name in ours.steps), strict=True)]
        for of, against in ((typical, usual), (mine, other))
    )
    fixed, each_fixed = (_saved_beside(of, against) for of, against in ((typical, usual), (mine, other)))
    taken = [(runs.unseen, float(np.exp(side.time_s[0]))) for runs, side in ((ours, typical), (theirs, usual))]
    unseen_s = math.hypot(*(share * time_s for share, time_s in taken))
    steps, reference_steps = (sum(float(np.exp(of.count[name][0])) for name in ours.steps) for of in (typical, usual))
    taken_s, reference_taken_s = (sum(float(of.taken_s(name)[0]) for name in ours.steps) for of in (typical, usual))
    return Split(
        fewer_steps_s=_around(float(by_number[0][0]), by_time[0], unseen_s),
        faster_steps_s=_around(float(by_number[1][0]), by_time[1], unseen_s),
        fixed_s=_around(float(fixed[0]), each_fixed, unseen_s),
        steps=steps, reference_steps=reference_steps, step_s=taken_s / steps,
        reference_step_s=reference_taken_s / reference_steps, stages=stages if len(stages) > 1 else (),
    )  # fmt: skip


def _stage(
    name: str, saved: tuple[Floats, Floats], of_pairs: tuple[Floats, Floats], typical: _Sides, usual: _Sides
) -> StageSplit:
    fewer, faster = (_around(float(part[0]), each) for part, each in zip(saved, of_pairs, strict=True))
    return StageSplit(
        name=name, fewer_steps_s=fewer, faster_steps_s=faster,
        steps=math.exp(typical.count[name][0]), reference_steps=math.exp(usual.count[name][0]),
        step_s=math.exp(typical.each_s[name][0]), reference_step_s=math.exp(usual.each_s[name][0]),
    )  # fmt: skip


def _levels(cells: Cells) -> Floats:
    return levels_of(replace(cells, values=np.log(cells.values))).values


def _saved(ours: _Sides, theirs: _Sides, name: str) -> tuple[Floats, Floats]:
    """Return what is saved by the number of steps of one kind, and by the time of each."""
    middle = logarithmic_mean(theirs.taken_s(name), ours.taken_s(name))
    return middle * (theirs.count[name] - ours.count[name]), middle * (theirs.each_s[name] - ours.each_s[name])


def _saved_beside(ours: _Sides, theirs: _Sides) -> Floats:
    """Return what is saved beside the steps."""
    by_steps = sum((theirs.taken_s(name) - ours.taken_s(name) for name in ours.count), np.zeros(len(ours.time_s)))
    return np.asarray(np.exp(theirs.time_s) - np.exp(ours.time_s) - by_steps)


def logarithmic_mean(a: Floats, b: Floats) -> Floats:
    """Return (a - b) / log(a / b) of positive numbers, which is a where both are the same (Carlson 1972)."""
    logs = np.log(a / b)
    near = np.abs(logs) < 1e-6
    return np.where(near, np.sqrt(a * b), np.divide(a - b, logs, out=np.ones_like(logs), where=~near))


def _around(value: float, of_pairs: Floats, unseen_s: float = 0.0) -> Estimate:
    """Return a part of the typical times, with the interval that the parts of the pairs of launches have."""
    _, half_width = mean_and_half_width(of_pairs)
    if half_width is None:
        return Estimate(value=value, low=None, high=None)
    half_width = widened(half_width, unseen_s)
    return Estimate(value=value, low=value - half_width, high=value + half_width)
