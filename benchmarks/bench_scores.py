"""Do the intervals of scores, shares, failures and parts hold? Experiments whose truth is known, as in bench_grid.py.

Run: python benchmarks/bench_scores.py [EXPERIMENTS]    (1,000 a line unless said; about ten minutes on two cores)
"""

import sys
from collections.abc import Callable, Iterator
from functools import partial
from itertools import product
from typing import NamedTuple

import numpy as np
from bench_grid import KINDS
from common import print_made
from experiments import runs_of

from unvek.core.stats.conclusions.conclusion import conclusion
from unvek.core.stats.over_launches.beside import ratios_of_sums
from unvek.core.stats.over_launches.launches import Sample
from unvek.core.stats.over_launches.speedup import ALL_STEPS, SteppedRuns, Steps, split_speed_up
from unvek.core.stats.over_tasks.drift import drift
from unvek.core.stats.over_tasks.items import score_location, score_ratio
from unvek.core.stats.shares import share_by_launch

ROUNDS = 3
WORDS = ("better", "worse")
Ends = tuple[float, float]


class Line(NamedTuple):
    """Of 100: how many intervals hold; the middle of half their width; what else is said."""

    held: float
    width: float
    also: str = ""


def held(
    rng: np.random.Generator, experiments: int, one: Callable[[np.random.Generator], tuple[Ends, float] | None]
) -> Line:
    """Make experiments that each give an interval and the truth; one that gives none is made again."""
    kept = []
    for _ in range(20 * experiments):
        found = one(rng)
        if found is not None:
            kept.append((found[0][0] <= found[1] <= found[0][1], (found[0][1] - found[0][0]) / 2))
        if len(kept) == experiments:
            break
    return Line(100 * float(np.mean([is_held for is_held, _ in kept])), float(np.median([width for _, width in kept])))


# ---- scores: tasks are drawn, then seeds ----

SHAPES = {
    "normal": lambda rng, n: rng.normal(0.8, 0.08, n),
    "near the top": lambda rng, n: 1 - 0.4 * rng.beta(0.6, 2.4, n),
    "skewed": lambda rng, n: 0.3 + 0.1 * rng.gamma(2.0, 1.0, n),
}
MEANS = {"normal": 0.8, "near the top": 1 - 0.4 * 0.2, "skewed": 0.5}
LOSS = 0.03  # of the reference's score, the same on every task in the mean


def scores(rng: np.random.Generator, shape: str, tasks: int, seeds: int, loss: float) -> tuple[Sample, Sample]:
    """Ours and theirs: a task's own level, what ours loses on it, and what a seed adds; the same in every launch."""
    level = SHAPES[shape](rng, tasks)
    lost = loss * MEANS[shape] + rng.normal(0, 0.03, tasks)
    theirs = np.repeat(level, seeds) + rng.normal(0, 0.01, tasks * seeds)
    ours = np.repeat(level - lost, seeds) + rng.normal(0, 0.01, tasks * seeds)
    return _as_sample(ours, seeds), _as_sample(theirs, seeds)


def _as_sample(values: np.ndarray, seeds: int) -> Sample:
    items = np.tile(np.arange(len(values)), ROUNDS)
    rounds = np.repeat(np.arange(ROUNDS), len(values))
    return Sample(np.tile(values, ROUNDS), rounds, rounds, items, items // seeds)


def of_scores(shape: str, tasks: int, seeds: int, experiments: int) -> list[Line]:
    rng = np.random.default_rng(tasks * seeds)

    def alone(rng: np.random.Generator) -> tuple[Ends, float] | None:
        found = score_location(scores(rng, shape, tasks, seeds, 0.0)[1])
        return None if found is None or found.low is None else ((found.low, found.high), MEANS[shape])

    def ratio(rng: np.random.Generator) -> tuple[Ends, float] | None:
        found = score_ratio(*scores(rng, shape, tasks, seeds, LOSS))
        return None if found is None or found.low is None else ((found.low, found.high), 1 - LOSS)

    return [held(rng, experiments, alone), held(rng, experiments, ratio)]


# ---- shares of right and wrong ----


def of_shares(tasks: int, right: float, loss: float, experiments: int) -> list[Line]:
    """A variant that is right on `right` of all tasks less `loss`, and a reference that is right on `right`."""
    rng = np.random.default_rng(tasks)
    said = []

    def both(rng: np.random.Generator) -> tuple[Sample, Sample]:
        theirs = rng.random(tasks) < right
        ours = theirs & (rng.random(tasks) >= loss / right)
        return _as_sample(ours.astype(float), 1), _as_sample(theirs.astype(float), 1)

    def alone(rng: np.random.Generator) -> tuple[Ends, float] | None:
        found = score_location(both(rng)[1], averaged=True)
        return None if found is None or found.low is None else ((found.low, found.high), right)

    def ratio(rng: np.random.Generator) -> tuple[Ends, float] | None:
        ours, theirs = both(rng)
        found = score_ratio(ours, theirs, averaged=True)
        if found is None or found.low is None:
            return None
        said.append(conclusion(found, False, WORDS, 0.02))
        usual = float(np.mean(theirs.values))  # the interval is of a difference, over what the reference had here
        return (found.low, found.high), 1 - loss / usual

    lines = [held(rng, experiments, alone), held(rng, experiments, ratio)]
    same = 100 * float(np.mean([word == "same" for word in said]))
    return [lines[0], lines[1]._replace(also=f"same said {same:.1f}")]


# ---- failures: each run by itself, launches of different shares, or whole launches ----


def of_failures(kind: str, launches: int, runs: int, share: float, experiments: int) -> list[Line]:
    rng = np.random.default_rng(launches * runs)

    def one(rng: np.random.Generator) -> tuple[Ends, float]:
        if kind == "runs":
            failed = rng.random((launches, runs)) < share
        elif kind == "whole launches":
            failed = np.repeat(rng.random((launches, 1)) < share, runs, axis=1)
        else:
            failed = rng.random((launches, runs)) < rng.beta(2 * share, 2 * (1 - share), (launches, 1))
        low, high, _ = share_by_launch(failed.ravel(), np.repeat(np.arange(launches), runs))
        return (low, high), share

    return [held(rng, experiments, one)]


# ---- the split of a speed-up, what stands beside a typical run, and drift ----

STEPS, STEP_S, FIXED_S = (8, 20), (0.006, 0.009), (0.03, 0.02)  # ours, theirs


def of_split(rounds: int, spread: float, experiments: int) -> list[Line]:
    rng = np.random.default_rng(rounds)
    their_stepped, stepped = STEPS[1] * STEP_S[1], STEPS[0] * STEP_S[0]
    middle = (their_stepped - stepped) / np.log(their_stepped / stepped)
    truth = (middle * np.log(STEPS[1] / STEPS[0]), middle * np.log(STEP_S[1] / STEP_S[0]), FIXED_S[1] - FIXED_S[0])

    def one(rng: np.random.Generator, part: int) -> tuple[Ends, float] | None:
        found = split_speed_up(*(_stepped(rng, rounds, spread, side) for side in (0, 1)))
        if found is None:
            return None
        saved = (found.fewer_steps_s, found.faster_steps_s, found.fixed_s)[part]
        return None if saved.low is None else ((saved.low, saved.high), truth[part])

    return [held(rng, experiments, partial(one, part=part)) for part in (1, 2)]  # the steps' number is no chance


def _stepped(rng: np.random.Generator, rounds: int, spread: float, side: int) -> SteppedRuns:
    """Three items, two repeats; a launch is slower in its steps and beside them alike, a run in either."""
    where = [place.ravel() for place in np.indices((rounds, 3, 2))]
    launch = np.repeat(np.exp(rng.normal(0, spread, rounds)), 6)
    step_s = STEP_S[side] * launch * np.exp(rng.normal(0, 0.005, 6 * rounds))
    fixed_s = FIXED_S[side] * launch * np.exp(rng.normal(0, 0.01, 6 * rounds))
    steps = np.full(6 * rounds, float(STEPS[side]))
    return SteppedRuns(
        time_s=steps * step_s + fixed_s, steps={ALL_STEPS: Steps(count=steps, each_s=step_s)}, rounds=where[0],
        launches=2 * where[0] + side, items=where[1],
    )  # fmt: skip


def of_sums(kind: str, rounds: int, averaged: bool, experiments: int) -> list[Line]:
    rng = np.random.default_rng(rounds)

    def one(rng: np.random.Generator) -> tuple[Ends, float] | None:
        found = ratios_of_sums({0: runs_of(rng, 0.8, rounds, 3, 3, KINDS[kind])}, averaged).get(0)
        return None if found is None or found.low is None else ((found.low, found.high), 0.8)

    return [held(rng, experiments, one)]


def of_drift(tasks: int, seeds: int, experiments: int) -> list[Line]:
    rng = np.random.default_rng(tasks)
    of_tasks = np.repeat(np.arange(tasks), seeds)

    def one(rng: np.random.Generator) -> tuple[Ends, float] | None:
        scale = np.repeat(0.1 + 0.05 * rng.gamma(4.0, 1.0, tasks), seeds)
        of_task = np.repeat(rng.normal(0, 0.1, tasks), seeds)
        found = drift(scale * (0.3 + of_task + rng.normal(0, 0.03, len(scale))), scale, of_tasks)
        return None if found is None or found.low is None else ((found.low, found.high), 0.3)

    return [held(rng, experiments, one)]


# ---- all of them ----


def asked(experiments: int) -> Iterator[tuple[str, str, Callable[[], list[Line]]]]:
    for shape, tasks, seeds in product(SHAPES, (3, 6, 12, 25), (1, 3)):
        yield ("scores: the score, and the ratio of one that loses 3 %",
               f"{shape}, {tasks} tasks x {seeds} seeds",
               partial(of_scores, shape, tasks, seeds, experiments))  # fmt: skip
    for tasks, right, loss in product((5, 12, 25, 100), (0.9, 0.99), (0.0, 0.1)):
        yield ("shares: the share, and the ratio", f"right {right:g}, {loss:g} lost, {tasks} tasks",
               partial(of_shares, tasks, right, loss, experiments))  # fmt: skip
    for kind, (launches, runs), share in product(
        ("runs", "shares that differ", "whole launches"), ((3, 6), (5, 6), (10, 6)), (0.05, 0.2, 0.5)
    ):
        yield ("failures: the share", f"{kind}, {share:g} of {launches} launches x {runs} runs",
               partial(of_failures, kind, launches, runs, share, experiments))  # fmt: skip
    for rounds, spread in product((3, 5, 10), (0.005, 0.02)):
        yield ("split: seconds by faster steps, and beside them", f"{rounds} rounds, launches {100 * spread:g} %",
               partial(of_split, rounds, spread, experiments))  # fmt: skip
    for kind, rounds, averaged in product(
        ("normal", "one run in thirty disturbed", "skewed"), (3, 5, 10), (True, False)
    ):
        yield ("beside: the ratio of means, and of totals",
               f"{'means' if averaged else 'totals'}, {kind}, {rounds} rounds",
               partial(of_sums, kind, rounds, averaged, experiments))  # fmt: skip
    for tasks, seeds in product((2, 3, 6, 12, 25), (1, 3)):
        yield "drift", f"{tasks} tasks x {seeds} seeds", partial(of_drift, tasks, seeds, experiments)


def main(experiments: int) -> None:
    error = 100 * np.sqrt(0.05 * 0.95 / experiments)
    print(f"{experiments} experiments a line; of 100, 95 % intervals that hold (half their width, in the middle). "
          f"The standard error of a share is {error:.1f}.")  # fmt: skip
    lines = [(about, words, partial(_in_words, one)) for about, words, one in asked(experiments)]
    print_made(lines, width=48)


def _in_words(one: Callable[[], list[Line]]) -> str:
    return "   ".join(f"{line.held:5.1f} ({line.width:.3g})  {line.also}".rstrip() for line in one())


if __name__ == "__main__":
    main(int(sys.argv[1]) if sys.argv[1:] else 1000)
