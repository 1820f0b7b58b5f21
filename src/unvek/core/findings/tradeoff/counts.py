"""What is traded off: where each variant lies on each count, and draws of where it may truly lie."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from unvek.core.evidence.counted_runs import Truths
from unvek.core.evidence.evidence import Evidence
from unvek.core.measures.definition import MORE, Measure
from unvek.core.stats.conclusions.draws import DRAWS, ratio_draws, score_draws, with_launches
from unvek.core.stats.conclusions.frontier import Costs
from unvek.core.stats.grouping import Floats, first_places, group_means, group_middles, numbered
from unvek.core.stats.over_launches.launches import location
from unvek.core.stats.student import student_factor

SEED = 1  # the same data give the same probabilities
MOST_PAIRS = 50_000_000  # of variants, held against each other over all draws: of many variants there are fewer draws
FEWEST_DRAWS = 200


@dataclass(frozen=True, slots=True)
class _OneCount:
    """(n,) costs, (draws, n) what they may truly be, and the margin, on the scale that they are on."""

    found: Floats
    drawn: Floats
    margin: float


def costs_of(evidence: Evidence, measures: Sequence[Measure], names: Sequence[str]) -> Costs:
    """Return the costs of the variants on each count: logs of ratios to the reference; of scores, these themselves."""
    rng = np.random.default_rng(SEED)
    draws = max(FEWEST_DRAWS, min(DRAWS, MOST_PAIRS // len(names) ** 2))
    counts = [
        (_of_score if evidence.values.is_score(measure.name) else _of_ratios)(evidence, measure, names, rng, draws)
        for measure in measures
    ]
    return Costs(
        found=np.stack([count.found for count in counts], axis=-1),
        drawn=np.stack([count.drawn for count in counts], axis=-1),
        margins=np.array([count.margin for count in counts]),
    )


def _of_ratios(
    evidence: Evidence, measure: Measure, names: Sequence[str], rng: np.random.Generator, draws: int
) -> _OneCount:
    """By the paired ratios that a comparison shows."""
    logs, errors, degrees = (np.full(len(names), np.nan) for _ in range(3))
    for place, name in enumerate(names):
        ratio = evidence.ratio_to_reference(measure.name, name)
        if name == evidence.reference and evidence.location(measure.name, evidence.runs.of_variant(name)) is not None:
            logs[place], errors[place] = 0.0, 0.0
        elif ratio is not None:
            logs[place] = math.log(ratio.value)
            if ratio.spread is not None:
                errors[place], degrees[place] = ratio.spread / math.sqrt(ratio.launches), ratio.degrees
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
    usual = evidence.location(measure.name, evidence.runs.of_variant(evidence.reference))
    margin = evidence.margin_share(measure.name) * abs(usual.value) if usual is not None else 0.0
    return _in_costs(measure, _OneCount(centres, drawn, margin))


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
