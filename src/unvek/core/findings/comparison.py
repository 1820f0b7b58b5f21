"""The variants against the reference: every measure with its interval, its ratio and what that answers."""

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar

import numpy as np

from unvek.core.findings.audit import Doubt, doubts_of
from unvek.core.findings.circumstances import circumstance_notes
from unvek.core.findings.evidence import Evidence, VariantOnRecord
from unvek.core.findings.sentences import sentence
from unvek.core.measures.catalogue import TIME
from unvek.core.measures.definition import LESS, Measure
from unvek.core.run.record import FAILURES, OUTCOMES
from unvek.core.stats.answers import answer, rounds_to_settle
from unvek.core.stats.grouping import numbered
from unvek.core.stats.launches import Ratio
from unvek.core.stats.speedup import Split, SteppedRuns, split_speed_up
from unvek.core.stats.student import wilson

DEFAULT_MEASURES = (TIME, "step.time", "time.load", "memory.peak", "memory.device", "energy")
# Of answers that come in pieces; shown where there are any.
STREAM_MEASURES = (
    "rate.tokens", "rate.words", "rate.characters", "time.first", "gap.p99", "output.tokens",
    "rate.tokens.sum", "rate.words.sum", "rate.characters.sum", "request.time", "requests.failed",
)  # fmt: skip
# Beside the total where what is made differs in length: what each is over, and where that stands.
FOR_LENGTHS = {
    "time.per.token": "rate.tokens",
    "time.per.frame": "rate.frames",
    "time.per.megapixel": "rate.megapixels",
}
MOST_DOTS = 200  # single runs drawn of one variant
UNCLEAR = "unclear"
LAUNCHES, ITEMS = "launches", "items"


@dataclass(frozen=True, slots=True, kw_only=True)
class RatioFound:
    """The variant over the reference."""

    value: float
    low: float | None
    high: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class MeasureFound:
    """One measure of one variant. `drift` places a likeness between a rerun (0) and another seed (1).

    `over` says what the interval is over: launches; or, of scores, items where that is wider.
    """

    unit: str
    better: str | None
    median: float | None
    low: float | None
    high: float | None
    ratio: RatioFound | None
    answer: str | None
    more_rounds: int | None
    over: str
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
    """One variant. `first_run` is the first runs of its processes, which no other figure uses.

    `split` says where the time that it saves against the reference comes from; None where there are no steps.
    `sentence` says it all aloud; `doubts` are the numbers, from 1, of the doubts that concern it.
    """

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
    split: Split | None
    sentence: str = ""
    doubts: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Comparison:
    """All variants, the reference among them, in the plan's order.

    `asked` are the measures that were asked for by name, the first of which the sentences speak of; by time if none.
    """

    kind: ClassVar[str] = "comparison"
    title: str
    reference: str
    rig: Mapping[str, Any]
    quality: str | None
    asked: tuple[str, ...]
    rows: tuple[ComparisonRow, ...]
    doubts: tuple[Doubt, ...]
    notes: tuple[str, ...]


def compare(evidence: Evidence, rig: Mapping[str, Any], asked: Sequence[str] = ()) -> Comparison:
    """Return the comparison of everything in the evidence; InputError where a measure asked for is none."""
    for name in asked:
        evidence.measure(name)
    columns = {name: evidence.values(name) for name in _names(evidence, asked)}
    doubts = doubts_of(evidence)
    rows = tuple(_row(evidence, variant, columns) for variant in evidence.variants)
    main, quality = asked[0] if asked else TIME, evidence.plan.quality
    return Comparison(
        title=evidence.plan.title,
        reference=evidence.reference,
        rig=rig,
        quality=quality,
        asked=tuple(dict.fromkeys(asked)),
        rows=tuple(
            replace(
                row,
                sentence=sentence(row, evidence.reference, main, quality),
                doubts=tuple(doubt.number for doubt in doubts if row.variant in doubt.variants),
            )
            for row in rows
        ),
        doubts=doubts,
        notes=tuple(_notes(evidence, rows, columns)),
    )


def _names(evidence: Evidence, asked: Sequence[str]) -> list[str]:
    """Return the measures that this comparison holds: the usual ones, the plan's, those asked for, those that apply."""
    names = [*DEFAULT_MEASURES, *evidence.score_names, *asked]
    known = evidence.measures()
    streamed = [name for name in STREAM_MEASURES if name in known and evidence.has(name)]
    if any(np.nansum(evidence.values(name)) > 0 for name in streamed if name != "time.first"):
        names += streamed
    names += [name for name, rate in FOR_LENGTHS.items() if _lengths_differ(evidence, name, rate)]
    return list(dict.fromkeys(names))


def _lengths_differ(evidence: Evidence, per: str, rate: str) -> bool:
    """Whether variants make more of it than others, of the same item: then their whole times are no measure."""
    if per == "time.per.token":
        made = evidence.values("output.tokens")
    else:
        made = np.round(evidence.values(rate) * evidence.values(TIME), 6)
    made = np.where(made > 0, made, np.nan)
    known = np.isfinite(made)
    if not np.any(known):
        return False
    items, count = numbered(evidence.item[known])
    shortest, longest = np.full(count, np.inf), np.zeros(count)
    np.minimum.at(shortest, items, made[known])
    np.maximum.at(longest, items, made[known])
    return bool(np.any(shortest < longest))


def _row(evidence: Evidence, variant: VariantOnRecord, columns: Mapping[str, np.ndarray]) -> ComparisonRow:
    mine = evidence.of_variant(variant.name)
    statuses = evidence.status.take(mine).counts()
    steps = evidence.values("output.steps")[mine]
    steps = steps[np.isfinite(steps)]
    return ComparisonRow(
        variant=variant.name,
        form=variant.form,
        rounds=len(np.unique(evidence.round[mine & evidence.finished])),
        runs=statuses.total(),
        finished=int(np.count_nonzero(mine & evidence.finished)),
        steps=float(np.median(steps)) if np.any(steps) else None,
        weights_bytes=variant.weights_bytes,
        first_run_s=float(np.median(first)) if (first := evidence.first_runs_s.get(variant.name)) else None,
        measures={name: _measure(evidence, evidence.measure(name), values, mine, variant.name)
                  for name, values in columns.items()},
        failures=_failures(statuses),
        split=_split(evidence, variant.name),
    )  # fmt: skip


def _measure(
    evidence: Evidence, measure: Measure, values: np.ndarray, mine: np.ndarray, name: str
) -> MeasureFound:  # fmt: skip
    place = evidence.location(measure.name, mine)
    ratio = evidence.ratio_to_reference(measure.name, name)
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
        over=ITEMS if evidence.is_score(measure.name) else LAUNCHES,
        drift=drift_of(evidence, measure.name, values, mine) if measure.name in evidence.likeness_names else None,
        dots=tuple(float(value) for value in known[:: max(1, len(known) // MOST_DOTS)]),
    )


def _answer(measure: Measure, ratio: Ratio | None) -> str | None:
    if measure.better is None:
        return None
    words = ("faster", "slower") if measure.is_speed else ("better", "worse")
    return answer(ratio, better_is_less=measure.better == LESS, words=words)


def _split(evidence: Evidence, name: str) -> Split | None:
    if name == evidence.reference:
        return None
    return split_speed_up(_stepped(evidence, name), _stepped(evidence, evidence.reference))


def _stepped(evidence: Evidence, name: str) -> SteppedRuns:
    mine = evidence.of_variant(name)
    return SteppedRuns(
        time_s=evidence.values(TIME)[mine],
        steps=evidence.values("output.steps")[mine],
        step_s=evidence.values("step.time")[mine],
        rounds=evidence.round[mine],
        items=evidence.item[mine],
    )


def drift_of(evidence: Evidence, name: str, values: np.ndarray, mine: np.ndarray) -> float | None:
    """Return where a variant's mean likeness lies between the reference's rerun (0) and its other seeds (1)."""
    others = evidence.likeness_to_other_seeds(name)
    own = values[evidence.of_variant(evidence.reference)]
    own, ours = own[np.isfinite(own)], values[mine][np.isfinite(values[mine])]
    if not (len(others) and len(own) and len(ours)) or own.mean() == others.mean():
        return None
    return float((own.mean() - ours.mean()) / (own.mean() - others.mean()))


def _failures(statuses: Counter[str]) -> FailuresFound:
    outcomes = sum(statuses[status] for status in OUTCOMES)
    kinds = {status: statuses[status] for status in FAILURES if statuses[status]}
    count = sum(kinds.values())
    low, high = wilson(count, outcomes)
    share = count / outcomes if outcomes else 0.0
    return FailuresFound(count=count, share=share, low=low, high=high, kinds=kinds)


def _notes(evidence: Evidence, rows: tuple[ComparisonRow, ...], measures: Collection[str]) -> list[str]:
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
    notes += [
        f"Taken together over {name} {', '.join(map(str, values))}; --varied {name}={values[0]} takes one."
        for name, values in evidence.varied_values.items()
    ]
    notes += circumstance_notes(evidence, with_warming=False, measures=measures)  # warming is among the doubts
    if evidence.left_out:
        notes.append(f"{evidence.left_out} voided runs, or runs of an earlier form of the plan, are left out.")
    return notes
