"""Do the conclusions hold? Frontier, pick, plateau, fits, what is left behind, more rounds: with the truth known.

Run: python benchmarks/bench_conclusions.py [EXPERIMENTS]    (1,000 a line unless said; ten minutes on two cores)
"""

import sys
from collections.abc import Callable, Iterator
from functools import partial
from itertools import product
from types import SimpleNamespace
from typing import Any

import numpy as np
from common import print_made

from unvek.core.findings.tradeoff.found import TradeoffRow
from unvek.core.findings.tradeoff.pick import Case
from unvek.core.findings.tradeoff.wishes import EVEN, Merits, merits_of
from unvek.core.plan.cells import order_of_round
from unvek.core.plan.model import USUAL_MARGIN
from unvek.core.stats.conclusions.conclusion import conclusion, outlook
from unvek.core.stats.conclusions.draws import ratio_draws, score_draws
from unvek.core.stats.conclusions.fits import line
from unvek.core.stats.conclusions.frontier import Costs, beaten, beats, frontier_probabilities
from unvek.core.stats.conclusions.plateau import plateau
from unvek.core.stats.over_launches.carry_over import carry_over
from unvek.core.stats.over_launches.launches import Ratio, Sample, ratios_together
from unvek.core.stats.over_launches.levels import Levels
from unvek.core.stats.over_tasks.items import score_location

MARGIN = USUAL_MARGIN.value
REFERENCE: Any = SimpleNamespace(reference="0", quality=None)  # all that a choice asks of its evidence
SPEED = ("faster", "slower")
SPREAD = 0.03  # of launches; of runs of memory a third
ROUNDS = (3, 5, 10)
VARIANTS, TASKS, DRAWN = 4, 8, 500


def ratios_of(levels: np.ndarray) -> dict[int, Ratio]:
    """The ratios of each variant to the first; levels: (rounds, variants)."""
    return ratios_together({n: Levels(levels[:, n] - levels[:, 0], len(levels) - 1) for n in range(1, levels.shape[1])})


def drawn_ratios(levels: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    ratios = ratios_of(levels)
    logs = np.array([0.0, *(np.log(ratio.value) for ratio in ratios.values())])
    errors = np.array([0.0, *((ratio.spread or 0.0) / np.sqrt(len(levels)) for ratio in ratios.values())])
    degrees = np.array([np.nan, *(ratio.degrees for ratio in ratios.values())])
    return logs, ratio_draws(logs, errors, degrees, rng, DRAWN)


def of_frontier(rounds: int, apart: float, experiments: int) -> str:
    """How probable a place on the frontier is said to be, and how often it is one, in four ranges."""
    rng = np.random.default_rng(rounds)
    said, true = [], []
    margins = np.array([np.log1p(MARGIN), np.log1p(MARGIN), MARGIN])
    for _ in range(experiments):
        truth = rng.normal(0, apart, (VARIANTS, 3))
        truth[0] = 0.0
        time = drawn_ratios(truth[:, 0] + rng.normal(0, SPREAD, (rounds, VARIANTS)), rng)
        memory = drawn_ratios(truth[:, 1] + rng.normal(0, SPREAD / 3, (rounds, VARIANTS)), rng)
        scores = truth[:, 2] + rng.normal(0, 0.05, (TASKS, 1)) + rng.normal(0, 0.02, (TASKS, VARIANTS))
        quality = scores.mean(axis=0), score_draws(scores, scores.mean(axis=0), rng, DRAWN)
        counts = (time, memory, quality)
        costs = Costs(found=np.stack([found for found, _ in counts], -1),
                      drawn=np.stack([drawn for _, drawn in counts], -1), margins=margins)  # fmt: skip
        said.append(frontier_probabilities(costs))
        true.append(~beaten(beats(truth, margins)))
    probable, is_on = np.concatenate(said), np.concatenate(true)
    words = []
    for low, high in ((0, 0.2), (0.2, 0.5), (0.5, 0.8), (0.8, 1)):
        these = (probable >= low) & (probable < high)
        if np.count_nonzero(these) > 50:
            words.append(f"{np.mean(probable[these]):.2f} is {np.mean(is_on[these]):.2f}")
    return f"{', '.join(words)}; above 0.99: {100 * np.mean(probable > 0.99):.0f} of 100"


def of_pick(rounds: int, apart: float, experiments: int) -> str:
    """How often a pick that is not called a toss-up is slower than the truly fastest by more than the margin."""
    rng = np.random.default_rng(rounds)
    wrong = tossed = 0
    for _ in range(experiments):
        truth = rng.normal(0, apart, VARIANTS)
        logs, drawn = drawn_ratios(truth + rng.normal(0, SPREAD, (rounds, VARIANTS)), rng)
        merits = Merits(found=-logs / np.log1p(MARGIN), drawn=-drawn / np.log1p(MARGIN))
        best = int(np.argmax(merits.found))
        if any(merits.may_be_better(n, best, VARIANTS - 1) for n in range(VARIANTS) if n != best):
            tossed += 1
        else:
            wrong += truth[best] - truth.min() > np.log1p(MARGIN)
    of_picks, of_all = 100 * wrong / max(1, experiments - tossed), 100 * tossed / experiments
    return f"wrong {of_picks:4.1f} of 100 picks; {of_all:.0f} of 100 are toss-ups"


def of_wished(rounds: int, apart: float, needs: bool, experiments: int) -> str:
    """How often a pick by wishes for time, cost and a score, under a need for the score, is off by more than a margin.

    Wrong is one that does not truly meet the need, or that a variant which does is better than by more than a margin,
    where it is called no toss-up, no variant may be better that is not shown to meet the need, and the reference is not
    kept since nothing is shown to be better.
    """
    rng = np.random.default_rng(rounds)
    wrong = open_ = 0
    margins, weights = np.array([np.log1p(MARGIN), np.log1p(MARGIN), MARGIN]), (1.0, 2.0, 1.0)
    for _ in range(experiments):
        truth = rng.normal(0, apart, (VARIANTS, 3))
        truth[0] = 0.0
        time = drawn_ratios(truth[:, 0] + rng.normal(0, SPREAD, (rounds, VARIANTS)), rng)
        cost = drawn_ratios(truth[:, 1] + rng.normal(0, SPREAD, (rounds, VARIANTS)), rng)
        scores = truth[:, 2] + rng.normal(0, 0.05, (TASKS, 1)) + rng.normal(0, 0.02, (TASKS, VARIANTS))
        quality = -scores.mean(axis=0), -score_draws(scores, scores.mean(axis=0), rng, DRAWN)
        counts = (time, cost, quality)
        costs = Costs(found=np.stack([found for found, _ in counts], -1),
                      drawn=np.stack([drawn for _, drawn in counts], -1), margins=margins)  # fmt: skip
        true_merits = merits_of(Costs(found=truth * [1, 1, -1], drawn=truth[None] * [1, 1, -1], margins=margins),
                                (0, 1, 2), weights).found  # fmt: skip
        bound = -apart / 2 if needs else -np.inf
        rows = tuple(row_of(number, scores[:, number], bound) for number in range(VARIANTS))
        case = Case(evidence=REFERENCE, rows=rows, names=tuple(map(str, range(VARIANTS))), wishes=(),
                    merits=merits_of(costs, (0, 1, 2), weights), is_judged=True, held_against={})  # fmt: skip
        choice = case.chosen(case.fitting)
        if choice is None or choice.ties or choice.is_reference_kept or case.undecided(choice):
            open_ += 1
            continue
        pick, meets = int(choice.variant), truth[:, 2] >= bound
        wrong += not meets[pick] or true_merits[pick] < true_merits[meets].max() - EVEN
    of_picks, of_all = 100 * wrong / max(1, experiments - open_), 100 * open_ / experiments
    return f"wrong {of_picks:4.1f} of 100 picks; {of_all:.0f} of 100 are left open"


def row_of(number: int, scores: np.ndarray, bound: float) -> TradeoffRow:
    """A variant's row, with whether its score is known to keep a bound, not to, or neither."""
    tasks = np.tile(np.arange(TASKS), 3)
    rounds = np.repeat([1, 2, 3], TASKS)
    found = score_location(Sample(np.tile(scores, 3), rounds, rounds, tasks, tasks))
    low, high = (
        (-np.inf, np.inf) if found is None or found.low is None or found.high is None else (found.low, found.high)
    )
    unmet, not_shown = high < bound, low < bound <= high
    return TradeoffRow(
        variant=str(number), form="full", values={}, drift=None, drift_low=None, drift_high=None, on_frontier=True,
        probability=None, beaten_by=(), even_with=(), unmet=("n",) if unmet else (), not_judged=(),
        not_shown=("n",) if not_shown else (), why_not_shown=("",) if not_shown else (),
    )  # fmt: skip


def of_plateau(tasks: int, worse: float, experiments: int) -> str:
    """How often a value is picked that is worse than the best by more than the margin; how often some can't be told."""
    rng = np.random.default_rng(tasks)
    wrong = untold = 0
    rounds, items = np.repeat([1, 2, 3], tasks), np.tile(np.arange(tasks), 3)
    for _ in range(experiments):
        levels = 0.9 * np.array([1 - worse, 1 - worse, 1 - 0.002, 1.0])
        scores = levels + rng.normal(0, 0.05, (tasks, 1)) + rng.normal(0, 0.03, (tasks, 4))
        samples = [Sample(np.tile(scores[:, n], 3), rounds, rounds, items, items) for n in range(4)]
        found = plateau(samples, scores.mean(axis=0).tolist(), [1, 2, 3, 4], more=True, margin=MARGIN, is_score=True)
        if found is not None:
            wrong += found.cheapest < 2 and found.cheapest != found.best
            untold += bool(found.untold)
    of_picks, of_all = 100 * wrong / experiments, 100 * untold / experiments
    return f"worse is picked {of_picks:4.1f} of 100; some can't be told in {of_all:.0f}"


def of_line(values: tuple[float, ...], bend: float, rounds: int, experiments: int) -> str:
    """How often the interval of the fixed part holds, where the truth is a line but for a slight curve."""
    rng = np.random.default_rng(rounds)
    x = np.array(values)
    y = 0.05 + 0.01 * x
    y = y + bend * y[-1] * (x / x[-1]) ** 2
    held, widths = 0, []
    for _ in range(experiments):
        made = y * np.exp(rng.normal(0, 0.01, (rounds, 1)) + rng.normal(0, 0.005, (rounds, len(x))))
        found = line(np.tile(x, rounds), made.ravel(), np.repeat(np.arange(rounds), len(x)))
        if found is not None and found.fixed.low is not None and found.fixed.high is not None:
            held += found.fixed.low <= 0.05 <= found.fixed.high
            widths.append((found.fixed.high - found.fixed.low) / 2)
    return f"holds {100 * held / experiments:5.1f} of 100, {1000 * np.median(widths):.2g} ms to either side"


def of_order(order: str, rounds: int, left: float, experiments: int) -> str:
    """How often one is called slower or faster, and what is left behind is told, where one of four leaves some."""
    rng = np.random.default_rng(rounds)
    slower = told = silent = 0
    for _ in range(experiments):
        made, last = [], -1
        for number in range(1, rounds + 1):
            for variant in order_of_round(tuple(range(VARIANTS)), order, 0, number):
                made.append((left * (last == 1) + rng.normal(0, 0.01), variant, number, last))
                last = variant
        levels, variants, of_round, before = map(np.array, zip(*made, strict=True))
        by_round = np.array([[levels[(variants == v) & (of_round == n)][0] for v in range(VARIANTS)]
                             for n in range(1, rounds + 1)])  # fmt: skip
        answers = {conclusion(ratio, True, SPEED, MARGIN) for ratio in ratios_of(by_round).values()}
        found = carry_over(levels, variants, of_round, before)
        is_told = found is not None and bool(np.any((found.lows > 0) | (found.highs < 0)))
        slower += bool(answers & set(SPEED))
        told += is_told
        silent += bool(answers & set(SPEED)) and not is_told
    return (f"told apart {100 * slower / experiments:5.1f} of 100, left behind told {100 * told / experiments:5.1f}, "
            f"the one without the other {100 * silent / experiments:4.1f}")  # fmt: skip


def of_advice(rounds: int, apart: float, experiments: int) -> str:
    """How often the low, middle and high number of more rounds tell, each looked at once."""
    rng = np.random.default_rng(rounds)
    told: dict[str, list[bool]] = {"low": [], "middle": [], "high": []}
    for _ in range(experiments):
        logs = rng.normal(0, apart) + rng.normal(0, SPREAD, rounds + 1000)
        ratio = ratios_together({0: Levels(logs[:rounds], rounds - 1)})[0]
        ahead = outlook(ratio, MARGIN) if conclusion(ratio, True, SPEED, MARGIN) == "unclear" else None
        for name, of in told.items():
            more = getattr(ahead, name, None)
            if more is not None:
                later = ratios_together({0: Levels(logs[: rounds + more], rounds + more - 1)})[0]
                of.append(conclusion(later, True, SPEED, MARGIN) != "unclear")
    return ", ".join(f"with the {name} {100 * np.mean(of):.0f} of 100" for name, of in told.items())


def asked(experiments: int) -> Iterator[tuple[str, str, Callable[[], str]]]:
    for apart, rounds in product((0.02, 0.05, 0.2), ROUNDS):
        yield ("frontier: a probability that is said, and how often it is so",
               f"{rounds} rounds, variants {100 * apart:g} % apart",
               partial(of_frontier, rounds, apart, experiments))  # fmt: skip
    for apart, rounds in product((0.0, 0.02, 0.05, 0.2), ROUNDS):
        yield "pick", f"{rounds} rounds, variants {100 * apart:g} % apart", partial(of_pick, rounds, apart, experiments)
    for needs, apart, rounds in product((False, True), (0.0, 0.02, 0.05, 0.2), ROUNDS):
        under = "under a need" if needs else "without needs"
        yield ("pick by wishes: time, cost (twice) and a score",
               f"{rounds} rounds, variants {100 * apart:g} % apart, {under}",
               partial(of_wished, rounds, apart, needs, experiments))  # fmt: skip
    for worse, tasks in product((0.3, 0.05, 0.025), (2, 4, 8, 16)):
        yield "plateau", f"{tasks} tasks, {100 * worse:g} % worse", partial(of_plateau, tasks, worse, experiments)
    for values, bend, rounds in product(((2, 4, 8, 12, 20), (4, 8, 16)), (0.0, 0.02, 0.05), ROUNDS):
        yield ("fits: the fixed part of a line, 50 ms", f"{len(values)} values, {100 * bend:g} % bent, {rounds} rounds",
               partial(of_line, values, bend, rounds, experiments))  # fmt: skip
    for order, left, rounds in product(("balanced", "rotated"), (0.0, 0.02), (4, 8)):
        yield ("order: four equals, of which one leaves the machine slower",
               f"{order}, {100 * left:g} % left, {rounds} rounds",
               partial(of_order, order, rounds, left, experiments))  # fmt: skip
    for apart, rounds in product((0.02, 0.05), ROUNDS):
        yield ("more rounds: how often so many tell", f"{rounds} rounds, {100 * apart:g} % apart",
               partial(of_advice, rounds, apart, experiments))  # fmt: skip


def main(experiments: int) -> None:
    print(f"{experiments} experiments a line; the margin is {100 * MARGIN:g} %, launches differ by {100 * SPREAD:g} %.")
    print_made(list(asked(experiments)), width=42)


if __name__ == "__main__":
    main(int(sys.argv[1]) if sys.argv[1:] else 1000)
