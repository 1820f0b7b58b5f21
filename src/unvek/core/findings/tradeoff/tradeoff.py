"""Which variants are worth considering, what beats what, and which one to pick."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from unvek.core.errors import InputError
from unvek.core.evidence.counted_runs import VariantOnRecord
from unvek.core.evidence.drift import drift_of
from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.circumstances import circumstance_notes
from unvek.core.findings.tradeoff.counts import costs_of
from unvek.core.findings.tradeoff.found import Count, CountFound, Tradeoff, TradeoffRow
from unvek.core.findings.tradeoff.needs import NOT_SHOWN, UNMET, Need
from unvek.core.findings.tradeoff.pick import pick_of
from unvek.core.measures.catalogue import TIME
from unvek.core.measures.definition import Measure
from unvek.core.stats.conclusions.frontier import beaten, beats, circles, even, frontier_probabilities
from unvek.core.units import few_of

MOST_GROUPS, MOST_NAMED = 4, 8  # of variants that are even; all of them are in the rows


@dataclass(frozen=True, slots=True, kw_only=True)
class _Place:
    """Where a variant stands among the others."""

    not_judged: tuple[str, ...]
    is_beaten: bool
    probability: float
    beaten_by: tuple[str, ...]
    even_with: tuple[str, ...]


def trade_off(evidence: Evidence, needs: Sequence[Need] = ()) -> Tradeoff:
    """Return the frontier of time, quality and memory, and the pick among those that are known to meet the needs.

    The pick is the fastest variant on the frontier that meets every need and, unless a need speaks of the quality,
    drifts less than CLOSE_DRIFT of the way from the reference to another seed; the reference where none is clearly
    faster.
    """
    quality = evidence.quality
    measures = [evidence.values.measure(name) for name in (TIME, quality, evidence.memory) if name]
    if not evidence.values.has(TIME):
        raise InputError("no run has finished yet, so there is nothing to trade off; 'unvek log' lists what happened")
    usable = [measure for measure in measures if evidence.values.has(measure.name) and measure.better is not None]
    finished = [v for v in evidence.variants if np.any(evidence.runs.of_variant(v.name) & evidence.runs.finished)]
    names = [variant.name for variant in finished]
    costs = costs_of(evidence, usable, names)
    won, alike = beats(costs.found, costs.margins), even(costs.found, costs.margins)
    lost, probabilities = beaten(won), frontier_probabilities(costs)
    rows = tuple(
        _row(evidence, variant, usable, needs, _Place(
            not_judged=tuple(_not_judged(evidence, usable, costs.found[place], variant)),
            is_beaten=bool(lost[place]),
            probability=float(probabilities[place]),
            beaten_by=tuple(names[other] for other in np.flatnonzero(won[:, place])),
            even_with=tuple(names[other] for other in np.flatnonzero(alike[place]) if other != place),
        ))
        for place, variant in enumerate(finished)
    )  # fmt: skip
    pick = pick_of(evidence, rows, is_judged_by_need=any(need.measure == quality for need in needs))
    in_circle = [name for name, is_in in zip(names, circles(won), strict=True) if is_in]
    return Tradeoff(
        title=evidence.plan.title,
        reference=evidence.reference,
        counts=tuple(Count(measure=m.name, unit=m.unit, better=m.better or "less", margin=evidence.margin(m.name).words)
                     for m in usable),
        rows=rows,
        pick=pick.variant,
        because=pick.because,
        ties=pick.ties,
        runner_up=pick.runner_up,
        notes=(*_notes(evidence, measures, usable, finished), *_of_frontier(rows, in_circle)),
    )  # fmt: skip


def _row(
    evidence: Evidence, variant: VariantOnRecord, measures: Sequence[Measure], needs: Sequence[Need], place: _Place
) -> TradeoffRow:  # fmt: skip
    mine, quality = evidence.runs.of_variant(variant.name), evidence.quality
    is_likeness = quality is not None and quality in evidence.values.likeness_names
    drift = drift_of(evidence, quality, mine) if quality is not None and is_likeness else None
    states = [(need.text, *need.state(evidence, mine)) for need in needs]
    return TradeoffRow(
        variant=variant.name,
        form=variant.form,
        values={measure.name: _place(evidence, measure, variant.name) for measure in measures},
        drift=drift.value if drift else None,
        drift_low=drift.low if drift else None,
        drift_high=drift.high if drift else None,
        on_frontier=not place.is_beaten and not place.not_judged,
        probability=place.probability if np.isfinite(place.probability) and not place.not_judged else None,
        beaten_by=place.beaten_by,
        even_with=place.even_with,
        unmet=tuple(need for need, state, _ in states if state == UNMET),
        not_shown=tuple(need for need, state, _ in states if state == NOT_SHOWN),
        why_not_shown=tuple(why for _, state, why in states if state == NOT_SHOWN),
        not_judged=place.not_judged,
    )


def _not_judged(
    evidence: Evidence, measures: Sequence[Measure], costs: np.ndarray, variant: VariantOnRecord
) -> Iterator[str]:
    """Say on which counts nothing is known of a variant, with the reason where there is one.

    The reference is what others are judged by: of one run of each item it has no likeness to a rerun, and needs none.
    """
    if variant.name == evidence.reference:
        return
    mine = set(evidence.runs.number[evidence.runs.of_variant(variant.name)].tolist())
    for measure, cost in zip(measures, costs.tolist(), strict=True):
        if not np.isfinite(cost):
            why = next((one.why for one in evidence.without if one.name == measure.name and one.run in mine), None)
            yield f"no {measure.name}: {why}" if why else f"no {measure.name} that can be held against the reference's"


def _place(evidence: Evidence, measure: Measure, name: str) -> CountFound:
    found = evidence.location(measure.name, evidence.runs.of_variant(name))
    if found is None:
        return CountFound(typical=None, low=None, high=None)
    return CountFound(typical=found.value, low=found.low, high=found.high)


def _of_frontier(rows: Sequence[TradeoffRow], in_circle: Sequence[str]) -> Iterator[str]:
    """Say who is even with whom on all counts, who beats each other in a circle, and who could not be judged."""
    groups = dict.fromkeys(frozenset((row.variant, *row.even_with)) for row in rows if row.even_with)
    for group in list(groups)[:MOST_GROUPS]:
        yield f"Even on all counts: {few_of([row.variant for row in rows if row.variant in group], MOST_NAMED)}."
    if in_circle:
        named = few_of(in_circle, MOST_NAMED)
        yield f"Each of these beats another of them, by margins, in a circle, so all stay: {named}."
    for row in rows:
        if row.not_judged:
            why = "; ".join(row.not_judged)
            yield f"{row.variant} could not be judged, so it is on no frontier and not picked: {why}."


def _notes(
    evidence: Evidence, measures: Sequence[Measure], usable: Sequence[Measure], finished: Sequence[VariantOnRecord]
) -> Iterator[str]:
    without_way = [m.name for m in measures if m.better is None]
    if without_way:
        yield f"Not counted, since the plan does not say which way is better: {', '.join(without_way)}."
    missing = [m.name for m in measures if m not in usable and m.name not in without_way]
    if missing:
        yield f"Not counted, since no run has it: {', '.join(missing)}."
    quality = evidence.quality
    if not quality:
        yield "The plan names no quality, so speed and memory alone decide. Add a [[measures]] table."
    never = [v.name for v in evidence.variants if v not in finished]
    if never:
        yield f"Left out, since no run of theirs finished: {', '.join(never)}."
    for name, values in evidence.settings.compared_values.items():
        yield (f"Taken together over {name} {', '.join(map(str, values))}, each held against the reference with the "
               f"same; --varied {name}={values[0]} takes one.")  # fmt: skip
    yield from circumstance_notes(evidence)
    if len(np.unique(evidence.runs.round)) == 1:
        yield "One round only: how probable a place on the frontier is can't be said. Set rounds to 3 or more."
    if quality and quality in [m.name for m in usable]:
        tasks = len(np.unique(evidence.runs.task_codes[np.isfinite(evidence.values.of(quality))]))
        if tasks == 1:
            yield f"{quality} is of one task: of how it would be on others nothing is known, and no probability given."
