"""What is traded off: where each variant lies on each count, and draws of where it may truly lie."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from unvek.core.evidence.counted_runs import Truths
from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.tradeoff.needs import FAILURE_SHARE, failure_share
from unvek.core.measures.catalogue import COST_PER_GOOD
from unvek.core.measures.definition import MORE, Measure
from unvek.core.stats.conclusions.draws import DRAWS, JEFFREYS, ratio_draws, score_draws, with_launches
from unvek.core.stats.conclusions.frontier import Costs
from unvek.core.stats.grouping import Floats, first_places, group_means, group_middles, numbered
from unvek.core.stats.over_launches.launches import Ratio, location
from unvek.core.stats.student import Estimate, student_factor

SEED = 1  # the same data give the same probabilities
MOST_PAIRS = 50_000_000  # of variants, held against each other over all draws: of many variants there are fewer draws
FEWEST_DRAWS = 200
FAILURE_MARGIN = 0.01  # one run in a hundred
ITSELF = Ratio(
    value=1.0, low=1.0, high=1.0, low_together=1.0, high_together=1.0, launches=1, spread=0.0, degrees=math.nan
)  # the reference over the reference


@dataclass(frozen=True, slots=True)
class _OneCount:
    """(n,) costs, (draws, n) what they may truly be, and the margin, on the scale that they are on."""

    found: Floats
    drawn: Floats
    margin: float


@dataclass(frozen=True)
class AllCosts:
    """What the variants cost on each count, by the names of its measures. scales: what a value is on each."""

    costs: Costs
    names: tuple[str, ...]
    scales: tuple[Callable[[float], float], ...]

    def of(self, names: Sequence[str]) -> Costs:
        """Return the costs on some of the counts."""
        places = [self.names.index(name) for name in names]
        costs = self.costs
        return Costs(found=costs.found[:, places], drawn=costs.drawn[:, :, places], margins=costs.margins[places])

    def drawn_alone(self, name: str) -> Floats:
        """Return the draws of one count, where all others are what was found."""
        place = self.names.index(name)
        drawn = np.broadcast_to(self.costs.found, self.costs.drawn.shape).copy()
        drawn[:, :, place] = self.costs.drawn[:, :, place]
        return drawn

    def keeps(self, name: str, bound: float, at_most: bool) -> Truths:
        """Return (draws, n) whether what is drawn keeps a bound, given in the measure's own unit."""
        place = self.names.index(name)
        drawn, at = self.costs.drawn[:, :, place], self.scales[place](bound)
        # Costs of what is better if there is more of it are turned round, and so is its bound.
        is_turned = self.scales[place](2.0) < self.scales[place](1.0)
        return np.asarray(drawn <= at if at_most != is_turned else drawn >= at)


def costs_of(evidence: Evidence, measures: Sequence[Measure], names: Sequence[str]) -> AllCosts:
    """Return the costs of the variants on each count: logs of ratios to the reference; of scores, these themselves."""
    rng = np.random.default_rng(SEED)
    draws = max(FEWEST_DRAWS, min(DRAWS, MOST_PAIRS // len(names) ** 2))
    counts = [_way_of(evidence, measure)(evidence, measure, names, rng, draws) for measure in measures]
    costs = Costs(
        found=np.stack([count.found for count in counts], axis=-1),
        drawn=np.stack([count.drawn for count in counts], axis=-1),
        margins=np.array([count.margin for count in counts]),
    )
    return AllCosts(costs, tuple(m.name for m in measures), tuple(_scale_of(evidence, measure) for measure in measures))


def _way_of(evidence: Evidence, measure: Measure) -> Callable[..., _OneCount]:
    if measure.name == FAILURE_SHARE:
        return _of_failures
    if measure.name == COST_PER_GOOD and evidence.values.is_cost(measure.name):
        return _of_good
    return _of_score if evidence.values.is_score(measure.name) else _of_ratios


def _scale_of(evidence: Evidence, measure: Measure) -> Callable[[float], float]:
    """Return what turns a value of a measure into a cost."""
    sign = -1.0 if measure.better == MORE else 1.0
    if measure.name == FAILURE_SHARE or evidence.values.is_score(measure.name):
        return lambda value: sign * value
    usual = evidence.location(measure.name, evidence.runs.of_variant(evidence.reference))
    level = usual.value if usual is not None and usual.value > 0 else math.nan
    return lambda value: sign * math.log(value / level) if value > 0 else -sign * math.inf


def _of_failures(
    evidence: Evidence, measure: Measure, names: Sequence[str], rng: np.random.Generator, draws: int
) -> _OneCount:
    """How often runs fail, drawn from its posterior (Beta, Jeffreys' prior) for as many runs as these are worth."""
    shares = [failure_share(evidence, evidence.runs.of_variant(name)) for name in names]
    drawn = np.stack([_shares_drawn(share, rng, draws) for share in shares], axis=-1)
    return _OneCount(np.array([share.value for share in shares]), drawn, FAILURE_MARGIN)


def _shares_drawn(share: Estimate, rng: np.random.Generator, draws: int) -> Floats:
    """Draw a share: as many runs as would give it an interval (Wilson's) so wide."""
    low, high = share.low or 0.0, 1.0 if share.high is None else share.high
    squared, uneven = min(high - low, 1 - 1e-9) ** 2, 4 * share.value * (1 - share.value)
    # Wilson's width solved for z^2 / n, the number of runs that it is of.
    per_run = 2 * squared - uneven
    per_run = (per_run + math.sqrt(per_run**2 + 4 * (1 - squared) * squared)) / (2 * (1 - squared))
    worth = max(1.0, student_factor(10**6) ** 2 / max(per_run, 1e-9))
    return rng.beta(share.value * worth + JEFFREYS, (1 - share.value) * worth + JEFFREYS, draws)


def _ratio(evidence: Evidence, measure: Measure, name: str) -> Ratio | None:
    """Return a variant's measure over the reference's; of the reference, where it is known, without any doubt 1."""
    if name != evidence.reference:
        return evidence.ratio_to_reference(measure.name, name)
    return ITSELF if evidence.location(measure.name, evidence.runs.of_variant(name)) is not None else None


def _of_good(
    evidence: Evidence, measure: Measure, names: Sequence[str], rng: np.random.Generator, draws: int
) -> _OneCount:
    """What is paid for a good output: around the ratio that is found, to each side as far as its interval reaches."""
    logs, below, above = (np.full(len(names), np.nan) for _ in range(3))
    for place, name in enumerate(names):
        ratio = _ratio(evidence, measure, name)
        if ratio is not None:
            logs[place] = math.log(ratio.value)
            if ratio.low is not None and ratio.high is not None:
                below[place], above[place] = math.log(ratio.value / ratio.low), math.log(ratio.high / ratio.value)
    unit = rng.standard_normal((draws, len(names))) - rng.standard_normal((draws, 1))
    drawn = logs + unit / math.sqrt(2) * np.where(unit < 0, below, above) / student_factor(10**6)
    return _OneCount(logs, drawn, math.log1p(evidence.margin_share(measure.name)))


def _of_ratios(
    evidence: Evidence, measure: Measure, names: Sequence[str], rng: np.random.Generator, draws: int
) -> _OneCount:
    """By the paired ratios that a comparison shows."""
    logs, errors, degrees = (np.full(len(names), np.nan) for _ in range(3))
    for place, name in enumerate(names):
        ratio = _ratio(evidence, measure, name)
        if ratio is not None:
            logs[place] = math.log(ratio.value)
            if ratio.error is not None:
                errors[place], degrees[place] = ratio.error, ratio.degrees
    margin = math.log1p(evidence.margin_share(measure.name))
    return _in_costs(measure, _OneCount(logs, ratio_draws(logs, errors, degrees, rng, draws), margin))


def _of_score(
    evidence: Evidence, measure: Measure, names: Sequence[str], rng: np.random.Generator, draws: int
) -> _OneCount:
    """By the scores, as they are shown: tasks are drawn, and what launches add."""
    averaged = evidence.values.is_averaged(measure.name)
    known = np.isfinite(evidence.values.of(measure.name))
    of_tasks = np.full((numbered(evidence.runs.task_codes)[1], len(names)), np.nan)
    centres, errors, launches = np.full(len(names), np.nan), np.zeros(len(names)), 1
    for place, name in enumerate(names):
        mine = evidence.runs.of_variant(name) & known
        found = evidence.location(measure.name, mine)
        if found is None:
            continue
        centres[place], of_tasks[:, place] = found.value, _by_task(evidence, measure.name, mine, averaged)
        over = location(evidence.sample(measure.name, mine), averaged, evidence.pilot, logs=False)
        launch_count = len(np.unique(evidence.runs.launch[mine]))
        launches = max(launches, launch_count)
        if over is not None and over.low is not None:
            errors[place] = (over.value - over.low) / student_factor(launch_count)
    drawn = np.full((draws, len(names)), np.nan)
    has_any = np.isfinite(centres)
    if np.any(has_any):
        drawn[:, has_any] = score_draws(of_tasks[:, has_any], centres[has_any], rng, draws, are_shares=averaged)
        drawn = with_launches(drawn, errors, max(launches - 1, 1), rng)
    return _in_costs(measure, _OneCount(centres, drawn, _margin_of_score(evidence, measure.name, centres)))


def _margin_of_score(evidence: Evidence, name: str, centres: Floats) -> float:
    """The margin in the score's own unit: of what the reference has, or where that has none, what others have."""
    margin = evidence.margin(name)
    if margin.is_absolute:
        return margin.value
    usual = evidence.location(name, evidence.runs.of_variant(evidence.reference))
    if usual is not None:
        return margin.value * abs(usual.value)
    known = np.abs(centres[np.isfinite(centres)])
    return margin.value * float(np.median(known)) if len(known) else 0.0


def _by_task(evidence: Evidence, name: str, mine: Truths, averaged: bool) -> Floats:
    """Return (tasks,) the mean over a task's items of the median (or mean) of their runs; NaN where there is none."""
    tasks, task_count = numbered(evidence.runs.task_codes)
    items, count = numbered(evidence.runs.item[mine])
    of_items = group_middles(evidence.values.of(name)[mine], items, count, averaged)
    task_of_items = tasks[mine][first_places(items, count)]
    found = np.full(task_count, np.nan)
    found[np.unique(task_of_items)] = group_means(of_items, *numbered(task_of_items))
    return found


def _in_costs(measure: Measure, count: _OneCount) -> _OneCount:
    """The same where less is better."""
    sign = -1.0 if measure.better == MORE else 1.0
    return _OneCount(sign * count.found, sign * count.drawn, count.margin)
