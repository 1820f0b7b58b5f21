"""Which variants are worth considering, what beats what, and which one to pick."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from unvek.core.errors import InputError
from unvek.core.evidence.counted_runs import VariantOnRecord
from unvek.core.evidence.drift import drift_of
from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.audit.audit import UNFAIR, doubts_of
from unvek.core.findings.circumstances import circumstance_notes
from unvek.core.findings.tradeoff.changing import changes_of
from unvek.core.findings.tradeoff.counts import FAILURE_MARGIN, AllCosts, costs_of
from unvek.core.findings.tradeoff.found import Count, CountFound, Tradeoff, TradeoffRow, Wished
from unvek.core.findings.tradeoff.needs import FAILURE_SHARE, NOT_SHOWN, UNMET, Need, failure_share, needs_with
from unvek.core.findings.tradeoff.pick import Case
from unvek.core.findings.tradeoff.pick_words import pick_of
from unvek.core.findings.tradeoff.wishes import USUAL_WISH, Merits, Wish, merits_of
from unvek.core.measures.catalogue import COST, COST_PER_GOOD, TIME
from unvek.core.measures.definition import LESS, Measure
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
    merit: float
    held_against: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """What a trade-off is to go by.

    counts: what is traded off, the usual things if none. wishes: to be fast if none, or good in the first count where
    time is no count. accepted: the codes of findings of the audit that are to count against nobody.
    """

    counts: tuple[str, ...] = ()
    needs: tuple[Need, ...] = ()
    wishes: tuple[Wish, ...] = ()
    accepted: tuple[str, ...] = ()


def trade_off(evidence: Evidence, asked: Asked = Asked()) -> Tradeoff:
    """Return the frontier over the counts, and the pick among those that are known to meet the needs.

    The pick is the variant on the frontier that is best in what is wished for, meets every need and, unless a need or
    a wish speaks of the quality, drifts less than CLOSE_DRIFT of the way from the reference to another seed; the
    reference where none is shown to be better. What is unfair about a comparison, and failures that are shown, count
    against.
    """
    quality = evidence.quality
    needs, wishes = needs_with(evidence, asked.needs), asked.wishes or (_usual_wish(asked.counts),)
    finished = [v for v in evidence.variants if np.any(evidence.runs.of_variant(v.name) & evidence.runs.finished)]
    measures = _measures(evidence, asked, wishes, finished)
    if not evidence.values.has(TIME):
        raise InputError("no run has finished yet, so there is nothing to trade off; 'unvek log' lists what happened")
    usable = [m for m in measures if m.better is not None and (m.name == FAILURE_SHARE or evidence.values.has(m.name))]
    names = [variant.name for variant in finished]
    all_costs = costs_of(evidence, usable, names)
    costs = all_costs.of([measure.name for measure in usable])
    won, alike = beats(costs.found, costs.margins), even(costs.found, costs.margins)
    lost, probabilities = beaten(won), frontier_probabilities(costs)
    merits = _merits(all_costs, wishes)
    usual = merits.found[names.index(evidence.reference)] if evidence.reference in names else math.nan
    held_against = dict(_held_against(evidence, names, needs, asked.accepted))
    rows = tuple(
        _row(evidence, variant, usable, needs, _Place(
            not_judged=tuple(_not_judged(evidence, usable, costs.found[place], variant)),
            is_beaten=bool(lost[place]),
            probability=float(probabilities[place]),
            beaten_by=tuple(names[other] for other in np.flatnonzero(won[:, place])),
            even_with=tuple(names[other] for other in np.flatnonzero(alike[place]) if other != place),
            merit=float(merits.found[place] - usual),
            held_against=held_against.get(variant.name),
        ))
        for place, variant in enumerate(finished)
    )  # fmt: skip
    case = Case(
        evidence=evidence, rows=rows, names=tuple(names), merits=merits, wishes=wishes, held_against=held_against,
        is_judged=quality in {*(need.measure for need in needs), *(wish.measure for wish in wishes)},
    )  # fmt: skip
    pick, choice = pick_of(case), case.chosen(case.fitting)
    counts = tuple(_count(evidence, measure) for measure in usable)
    in_circle = [name for name, is_in in zip(names, circles(won), strict=True) if is_in]
    return Tradeoff(
        title=evidence.plan.title,
        reference=evidence.reference,
        counts=counts,
        needs=tuple(need.text for need in needs),
        wishes=tuple(Wished(measure=wish.measure, weight=wish.weight) for wish in wishes),
        undecided=case.undecided(choice) if choice is not None else tuple(row.variant for row in case.not_shown),
        changes=tuple(changes_of(case, choice, needs, all_costs, counts)) if choice is not None else (),
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
        merit=place.merit if np.isfinite(place.merit) else None,
        held_against=place.held_against,
    )


def _usual_wish(counts: Sequence[str]) -> Wish:
    """To be fast; or good in the first thing that is traded off, where time is not among these."""
    return USUAL_WISH if not counts or TIME in counts else Wish(measure=counts[0])


def _measures(
    evidence: Evidence, asked: Asked, wishes: Sequence[Wish], finished: Sequence[VariantOnRecord]
) -> list[Measure]:
    """The counts: those asked for, or time, quality, memory, and cost where it tells what time does not; the wishes."""
    names = list(asked.counts)
    if not names:
        names = [name for name in (TIME, evidence.quality, evidence.memory) if name]
        if evidence.values.has_costs and not evidence.values.costs.are_of_time_alone:
            names.append(COST)
    names += [wish.measure for wish in wishes]
    share = Measure(name=FAILURE_SHARE, unit="", better=LESS)
    measures = [share if name == FAILURE_SHARE else evidence.values.measure(name) for name in dict.fromkeys(names)]
    failing = (failure_share(evidence, evidence.runs.of_variant(variant.name)).value for variant in finished)
    if not asked.counts and any(failing):
        measures.append(share)
    return measures


def _merits(costs: AllCosts, wishes: Sequence[Wish]) -> Merits:
    if any(wish.measure not in costs.names for wish in wishes):
        missing = next(wish.measure for wish in wishes if wish.measure not in costs.names)
        raise InputError(f"no run here has a value of {missing}, so it can't be wished for")
    return merits_of(costs.costs, [costs.names.index(wish.measure) for wish in wishes], [one.weight for one in wishes])


def _held_against(
    evidence: Evidence, names: Sequence[str], needs: Sequence[Need], accepted: Sequence[str]
) -> Iterator[tuple[str, str]]:
    """Say what is unfair about the comparison of a variant, where it is not so of all, and which fail too often."""
    unfair = [doubt for doubt in doubts_of(evidence) if doubt.severity == UNFAIR and doubt.code not in accepted]
    usual = failure_share(evidence, evidence.runs.of_variant(evidence.reference))
    says_failures = any(need.measure == FAILURE_SHARE for need in needs)
    for name in names:
        found = [one for one in unfair if name in one.variants and evidence.reference not in one.variants]
        failing = failure_share(evidence, evidence.runs.of_variant(name))
        if found:
            yield name, f"{found[0].text} '--accept {found[0].code}' counts that against nobody."
        elif not says_failures and (failing.low or 0.0) > usual.value + FAILURE_MARGIN:
            share = f"{100 * failing.value:.2g} % of its runs failed"
            yield name, f'{share}. A need such as "failures <= {2 * failing.value:.2g}" says how many may.'


def _count(evidence: Evidence, measure: Measure) -> Count:
    margin = f"{FAILURE_MARGIN:g}" if measure.name == FAILURE_SHARE else evidence.margin(measure.name).words
    return Count(measure=measure.name, unit=measure.unit, better=measure.better or LESS, margin=margin)


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
            if measure.name == COST_PER_GOOD and evidence.values.is_cost(measure.name):
                why = "none of its outputs is known to be what the plan needs"
            yield f"no {measure.name}: {why}" if why else f"no {measure.name} that can be held against the reference's"


def _place(evidence: Evidence, measure: Measure, name: str) -> CountFound:
    mine = evidence.runs.of_variant(name)
    is_failure = measure.name == FAILURE_SHARE
    found = failure_share(evidence, mine) if is_failure else evidence.location(measure.name, mine)
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
