"""The variants against the reference: every measure with its interval, its ratio and what that answers."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar

import numpy as np

from unvek.core.findings.circumstances import circumstance_notes
from unvek.core.findings.evidence import Evidence, VariantOnRecord
from unvek.core.measures.catalogue import LESS, Measure
from unvek.core.run.record import FAILURES, OUTCOMES
from unvek.core.stats.answers import answer, rounds_to_settle
from unvek.core.stats.intervals import Ratio, location, paired_ratio, wilson

DEFAULT_MEASURES = ("time.total", "step.time", "time.load", "memory.peak", "memory.device", "energy")
MOST_DOTS = 200  # single runs drawn of one variant
UNCLEAR = "unclear"


@dataclass(frozen=True, slots=True, kw_only=True)
class RatioFound:
    """The variant over the reference."""

    value: float
    low: float | None
    high: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class MeasureFound:
    """One measure of one variant. `drift` places a likeness between a rerun (0) and another seed (1)."""

    unit: str
    better: str | None
    median: float | None
    low: float | None
    high: float | None
    ratio: RatioFound | None
    answer: str | None
    more_rounds: int | None
    drift: float | None
    dots: tuple[float, ...] = field(default=(), metadata={"json": False})


@dataclass(frozen=True, slots=True, kw_only=True)
class FailuresFound:
    """How many of the runs with an outcome failed, with the share's interval."""

    count: int
    share: float
    low: float
    high: float
    kinds: Mapping[str, int]


@dataclass(frozen=True, slots=True, kw_only=True)
class ComparisonRow:
    """One variant. `first_run_s` is the median of the first runs of its processes, which no other figure uses."""

    variant: str
    form: str
    rounds: int
    runs: int
    finished: int
    steps: float | None
    weights_bytes: int | None
    first_run_s: float | None
    measures: Mapping[str, MeasureFound]
    failures: FailuresFound


@dataclass(frozen=True, slots=True, kw_only=True)
class Comparison:
    """All variants, the reference among them, in the plan's order."""

    kind: ClassVar[str] = "comparison"
    title: str
    reference: str
    rig: Mapping[str, Any]
    quality: str | None
    rows: tuple[ComparisonRow, ...]
    notes: tuple[str, ...]


def compare(evidence: Evidence, rig: Mapping[str, Any]) -> Comparison:
    """Return the comparison of everything in the evidence."""
    names = (*DEFAULT_MEASURES, *evidence.likeness_names)
    columns = {name: evidence.values(name) for name in names}
    rows = tuple(_row(evidence, variant, columns) for variant in evidence.variants)
    return Comparison(
        title=evidence.plan.content["title"],
        reference=evidence.reference,
        rig=rig,
        quality=evidence.plan.content["quality"],
        rows=rows,
        notes=tuple(_notes(evidence, rows)),
    )


def _row(evidence: Evidence, variant: VariantOnRecord, columns: Mapping[str, np.ndarray]) -> ComparisonRow:
    mine = evidence.of_variant(variant.name)
    statuses = [row["status"] for row, is_mine in zip(evidence.rows, mine, strict=True) if is_mine]
    steps = np.array([row["steps"] for row in evidence.rows], float)[mine & evidence.finished]
    return ComparisonRow(
        variant=variant.name,
        form=variant.form,
        rounds=len(np.unique(evidence.round[mine & evidence.finished])),
        runs=len(statuses),
        finished=int(np.count_nonzero(mine & evidence.finished)),
        steps=float(np.median(steps)) if len(steps) and np.any(steps) else None,
        weights_bytes=variant.weights_bytes,
        first_run_s=float(np.median(first)) if (first := evidence.first_runs_s.get(variant.name)) else None,
        measures={
            name: _measure(evidence, evidence.measure(name), values, variant.name) for name, values in columns.items()
        },
        failures=_failures(statuses),
    )


def _measure(evidence: Evidence, measure: Measure, values: np.ndarray, name: str) -> MeasureFound:
    mine = evidence.of_variant(name)
    place = location(values[mine], evidence.round[mine])
    ratio = variant_ratio(evidence, measure.name, name)
    found = _answer(measure, ratio)
    known = values[mine][np.isfinite(values[mine])]
    return MeasureFound(
        unit=measure.unit,
        better=measure.better,
        median=place.value if place else None,
        low=place.low if place else None,
        high=place.high if place else None,
        ratio=RatioFound(value=ratio.value, low=ratio.low, high=ratio.high) if ratio else None,
        answer=found,
        more_rounds=rounds_to_settle(ratio) if ratio is not None and found == UNCLEAR else None,
        drift=drift_of(evidence, measure.name, values, mine) if measure.name in evidence.likeness_names else None,
        dots=tuple(float(value) for value in known[:: max(1, len(known) // MOST_DOTS)]),
    )


def variant_ratio(evidence: Evidence, measure: str, name: str) -> Ratio | None:
    """Return a variant's measure over the reference's, paired by round and item; None for the reference itself."""
    if name == evidence.reference:
        return None
    values = evidence.values(measure)
    mine, theirs = evidence.of_variant(name), evidence.of_variant(evidence.reference)
    return paired_ratio(
        values[mine], evidence.round[mine], evidence.item[mine],
        values[theirs], evidence.round[theirs], evidence.item[theirs],
    )  # fmt: skip


def _answer(measure: Measure, ratio: Ratio | None) -> str | None:
    if measure.better is None:
        return None
    words = ("faster", "slower") if measure.is_time else ("better", "worse")
    return answer(ratio, better_is_less=measure.better == LESS, words=words)


def drift_of(evidence: Evidence, name: str, values: np.ndarray, mine: np.ndarray) -> float | None:
    """Return where a variant's mean likeness lies between the reference's rerun (0) and its other seeds (1)."""
    others = evidence.likeness_to_other_seeds(name)
    own = values[evidence.of_variant(evidence.reference)]
    own, ours = own[np.isfinite(own)], values[mine][np.isfinite(values[mine])]
    if not (len(others) and len(own) and len(ours)) or own.mean() == others.mean():
        return None
    return float((own.mean() - ours.mean()) / (own.mean() - others.mean()))


def _failures(statuses: list[str]) -> FailuresFound:
    outcomes = [status for status in statuses if status in OUTCOMES]
    kinds = {status: outcomes.count(status) for status in FAILURES if status in outcomes}
    count = sum(kinds.values())
    low, high = wilson(count, len(outcomes))
    share = count / len(outcomes) if outcomes else 0.0
    return FailuresFound(count=count, share=share, low=low, high=high, kinds=kinds)


def _notes(evidence: Evidence, rows: tuple[ComparisonRow, ...]) -> list[str]:
    notes = []
    rounds = max((row.rounds for row in rows), default=0)
    if rounds == 1:
        notes.append("One round only: no interval can be given, since what varies from one start of a process to the "
                     "next has not been seen. Set rounds to 3 or more.")  # fmt: skip
    short = [row.variant for row in rows if row.rounds < rounds]
    if short and rounds > 1:
        notes.append(f"Fewer rounds than the others so far: {', '.join(short)}.")
    unfinished = [row.variant for row in rows if row.finished == 0]
    if unfinished:
        notes.append(f"No finished run: {', '.join(unfinished)}. 'unvek log' lists what happened.")
    notes += circumstance_notes(evidence)
    if evidence.left_out:
        notes.append(f"{evidence.left_out} voided runs, or runs of an earlier form of the plan, are left out.")
    return notes
