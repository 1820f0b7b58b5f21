"""Which variants are worth considering, what beats what, and which one to pick."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from unvek.core.errors import InputError
from unvek.core.evidence.counted_runs import VariantOnRecord
from unvek.core.evidence.drift import drift_of
from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.circumstances import circumstance_notes
from unvek.core.findings.tradeoff.needs import Need
from unvek.core.measures.definition import MORE, Measure
from unvek.core.stats.frontier import beats, frontier_probabilities
from unvek.core.units import drift_words, speed_words

CLOSE_DRIFT = 0.25  # as near the reference as a pick must be unless the needs say otherwise


@dataclass(frozen=True, slots=True, kw_only=True)
class Count:
    """One of the things traded off."""

    measure: str
    unit: str
    better: str


@dataclass(frozen=True, slots=True, kw_only=True)
class CountFound:
    """Where a variant lies on a count, with its interval over launches (of scores over tasks, where that is wider)."""

    typical: float | None
    low: float | None
    high: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class TradeoffRow:
    """One variant: what it takes and gives, whether it is on the frontier, and who beats it."""

    variant: str
    form: str
    values: Mapping[str, CountFound]
    drift: float | None
    drift_low: float | None
    drift_high: float | None
    on_frontier: bool
    probability: float
    beaten_by: tuple[str, ...]
    unmet: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Tradeoff:
    """The frontier over the counts, and the pick with its reason."""

    kind: ClassVar[str] = "tradeoff"
    title: str
    reference: str
    counts: tuple[Count, ...]
    rows: tuple[TradeoffRow, ...]
    pick: str | None
    because: str
    notes: tuple[str, ...]


def trade_off(evidence: Evidence, needs: Sequence[Need] = ()) -> Tradeoff:
    """Return the frontier of time, quality and memory, and the pick among those that meet the needs.

    The pick is the fastest variant on the frontier that meets every need and, unless a need speaks of the
    quality, drifts less than CLOSE_DRIFT of the way from the reference to another seed.
    """
    quality = evidence.plan.quality
    measures = [evidence.values.measure(name) for name in ("time.total", quality, "memory.peak") if name]
    columns = {m.name: evidence.values.of(m.name) for m in measures}
    if not np.any(np.isfinite(columns["time.total"])):
        raise InputError("no run has finished yet, so there is nothing to trade off; 'unvek log' lists what happened")
    usable = [m for m in measures if np.any(np.isfinite(columns[m.name]))]
    finished = [v for v in evidence.variants if np.any(evidence.runs.of_variant(v.name) & evidence.runs.finished)]
    places = {v.name: {m.name: _place(evidence, m, v.name) for m in usable} for v in finished}
    costs = np.array([[_cost(m, places[v.name][m.name].typical) for m in usable] for v in finished])
    beaten = beats(costs)
    probabilities = frontier_probabilities(_costs_by_round(evidence, usable, [v.name for v in finished]))
    rows = tuple(
        TradeoffRow(
            variant=v.name,
            form=v.form,
            values=places[v.name],
            **_drift(evidence, quality, v.name),
            on_frontier=not beaten[:, place].any(),
            probability=float(probabilities[place]),
            beaten_by=tuple(other.name for row, other in enumerate(finished) if beaten[row, place]),
            unmet=tuple(need.text for need in needs if not need.is_met_by(_typical(evidence, need.measure, v.name))),
        )
        for place, v in enumerate(finished)
    )
    pick, because = _pick(evidence, rows, quality, needs)
    return Tradeoff(
        title=evidence.plan.title,
        reference=evidence.reference,
        counts=tuple(Count(measure=m.name, unit=m.unit, better=m.better or "less") for m in usable),
        rows=rows,
        pick=pick,
        because=because,
        notes=tuple(_notes(evidence, measures, usable, finished)),
    )


def _drift(evidence: Evidence, quality: str | None, name: str) -> dict[str, float | None]:
    """How far a variant's outputs drift, and the interval, as fields of its row."""
    found = None
    if quality is not None and quality in evidence.values.likeness_names:
        found = drift_of(evidence, quality, evidence.runs.of_variant(name))
    if found is None:
        return {"drift": None, "drift_low": None, "drift_high": None}
    return {"drift": found.value, "drift_low": found.low, "drift_high": found.high}


def _place(evidence: Evidence, measure: Measure, name: str) -> CountFound:
    found = evidence.location(measure.name, evidence.runs.of_variant(name))
    if found is None:
        return CountFound(typical=None, low=None, high=None)
    return CountFound(typical=found.value, low=found.low, high=found.high)


def _typical(evidence: Evidence, measure: str, name: str) -> float:
    typical = _place(evidence, evidence.values.measure(measure), name).typical
    return np.nan if typical is None else typical


def _cost(measure: Measure, value: float | None) -> float:
    if value is None:
        return np.nan
    return -value if measure.better == MORE else value


def _costs_by_round(evidence: Evidence, measures: list[Measure], names: list[str]) -> np.ndarray:
    """Return (rounds, variants, counts): where each lies in each round, NaN where a round has none."""
    rounds = np.unique(evidence.runs.round).tolist()
    costs = np.full((len(rounds), len(names), len(measures)), np.nan)
    for column, name in enumerate(names):
        for depth, measure in enumerate(measures):
            found = evidence.location_by_round(measure.name, evidence.runs.of_variant(name))
            costs[:, column, depth] = [_cost(measure, found.get(number)) for number in rounds]
    return costs


def _pick(
    evidence: Evidence, rows: tuple[TradeoffRow, ...], quality: str | None, needs: Sequence[Need]
) -> tuple[str | None, str]:
    fitting = [row for row in rows if not row.unmet]
    if not fitting:
        return None, "No variant meets every need: " + "; ".join(
            f"{row.variant} fails {' and '.join(row.unmet)}" for row in rows
        )
    candidates = [row for row in fitting if row.on_frontier] or fitting
    judged_by_need = any(need.measure == quality for need in needs)
    close = [row for row in candidates if judged_by_need or row.drift is None or row.drift < CLOSE_DRIFT]
    if not close:
        nearest = min(candidates, key=lambda row: row.drift or 0.0)
        reason = f"{nearest.variant} drifts the least ({drift_words(nearest.drift or 0.0)} of the way to another seed)"
        return nearest.variant, f"None that meets the needs stays close to {evidence.reference}; {reason}."
    pick = min(close, key=_time)
    return pick.variant, _because(evidence, pick, quality, judged_by_need)


def _time(row: TradeoffRow) -> float:
    typical = row.values["time.total"].typical
    return np.inf if typical is None else typical


def _because(evidence: Evidence, pick: TradeoffRow, quality: str | None, judged_by_need: bool) -> str:
    bound = f" that stays close to {evidence.reference}" if pick.drift is not None and not judged_by_need else ""
    among = "on the frontier" if pick.on_frontier else "of those that meet the needs"
    said = [f"{pick.variant} is the fastest {among}{bound}"]
    ratio = evidence.ratio_to_reference("time.total", pick.variant)
    if ratio is not None:
        said.append(f"{speed_words(ratio.value)} against {evidence.reference}")
    if quality and pick.values.get(quality) and pick.values[quality].typical is not None:
        said.append(f"{quality} {pick.values[quality].typical:.3g}")
    if pick.drift is not None:
        said.append(f"{drift_words(pick.drift)} of the way to another seed")
    return said[0] + (": " + ", ".join(said[1:]) if said[1:] else "") + "."


def _notes(
    evidence: Evidence, measures: list[Measure], usable: list[Measure], finished: list[VariantOnRecord]
) -> list[str]:
    notes = []
    missing = [m.name for m in measures if m not in usable]
    if missing:
        notes.append(f"Not counted, since no run has it: {', '.join(missing)}.")
    if not evidence.plan.quality:
        notes.append("The plan names no quality, so speed and memory alone decide. Add a [[measures]] table.")
    never = [v.name for v in evidence.variants if v not in finished]
    if never:
        notes.append(f"Left out, since no run of theirs finished: {', '.join(never)}.")
    notes += circumstance_notes(evidence)
    if len(np.unique(evidence.runs.round)) == 1:
        notes.append("One round only: the probabilities can't tell luck from merit. Set rounds to 3 or more.")
    return notes
