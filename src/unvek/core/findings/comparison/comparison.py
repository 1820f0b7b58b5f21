"""The variants against the reference: every measure with its interval, its ratio and what that answers."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from unvek.core.evidence.counted_runs import VariantOnRecord
from unvek.core.evidence.drift import drift_of
from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.audit.audit import doubts_of
from unvek.core.findings.circumstances import circumstance_notes
from unvek.core.findings.comparison.found import Comparison, ComparisonRow, FailuresFound, MeasureFound, RatioFound
from unvek.core.findings.comparison.sentences import records_words, sentence
from unvek.core.measures.catalogue import TIME
from unvek.core.measures.definition import LESS, Measure
from unvek.core.run.events.record import FAILURES, OUTCOMES
from unvek.core.stats.conclusion import conclusion, rounds_to_settle
from unvek.core.stats.grouping import group_means, numbered
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
LAUNCHES, TASKS, RUNS = "launches", "tasks", "runs"


def compare(evidence: Evidence, rig: Mapping[str, Any], asked: Sequence[str] = ()) -> Comparison:
    """Return the comparison of everything in the evidence; InputError where a measure asked for is none."""
    for name in asked:
        evidence.values.measure(name)
    columns = {name: evidence.values.of(name) for name in _names(evidence, asked)}
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
        notes=tuple(_notes(evidence, rows, main, columns)),
    )


def _names(evidence: Evidence, asked: Sequence[str]) -> list[str]:
    """Return the measures that this comparison holds: the usual ones, the plan's, those asked for, those that apply."""
    names = [*DEFAULT_MEASURES, *evidence.values.score_names, *asked]
    known = evidence.values.measures
    streamed = [name for name in STREAM_MEASURES if name in known and evidence.values.has(name)]
    if any(np.nansum(evidence.values.of(name)) > 0 for name in streamed if name != "time.first"):
        names += streamed
    names += [name for name, rate in FOR_LENGTHS.items() if _lengths_differ(evidence, name, rate)]
    return list(dict.fromkeys(names))


def _lengths_differ(evidence: Evidence, per: str, rate: str) -> bool:
    """Whether variants make more of it than others, of the same item: then their whole times are no measure."""
    if per == "time.per.token":
        made = evidence.values.of("output.tokens")
    else:
        made = np.round(evidence.values.of(rate) * evidence.values.of(TIME), 6)
    made = np.where(made > 0, made, np.nan)
    known = np.isfinite(made)
    if not np.any(known):
        return False
    items, count = numbered(evidence.runs.item[known])
    shortest, longest = np.full(count, np.inf), np.zeros(count)
    np.minimum.at(shortest, items, made[known])
    np.maximum.at(longest, items, made[known])
    return bool(np.any(shortest < longest))


def _row(evidence: Evidence, variant: VariantOnRecord, columns: Mapping[str, np.ndarray]) -> ComparisonRow:
    mine = evidence.runs.of_variant(variant.name)
    statuses = evidence.runs.status.take(mine).counts()
    steps = evidence.values.of("output.steps")[mine]
    steps = steps[np.isfinite(steps)]
    return ComparisonRow(
        variant=variant.name,
        form=variant.form,
        rounds=len(np.unique(evidence.runs.round[mine & evidence.runs.finished])),
        runs=statuses.total(),
        finished=int(np.count_nonzero(mine & evidence.runs.finished)),
        steps=float(np.median(steps)) if np.any(steps) else None,
        weights_bytes=variant.weights_bytes,
        first_run_s=float(np.median(first)) if (first := evidence.first_runs_s.get(variant.name)) else None,
        measures={name: _measure(evidence, evidence.values.measure(name), values, mine, variant.name)
                  for name, values in columns.items()},
        failures=_failures(evidence, mine),
        split=_split(evidence, variant.name),
    )  # fmt: skip


def _measure(
    evidence: Evidence, measure: Measure, values: np.ndarray, mine: np.ndarray, name: str
) -> MeasureFound:  # fmt: skip
    place = evidence.location(measure.name, mine)
    ratio = evidence.ratio_to_reference(measure.name, name)
    is_score = evidence.values.is_score(measure.name)
    is_sure_of_nothing = is_score and ratio is not None and ratio.low_together == ratio.high_together
    margin = evidence.margin(measure.name)
    share = margin.share_of(_of_reference(evidence, measure.name) if margin.is_absolute else None)
    found = None if is_sure_of_nothing else _conclusion(measure, ratio, share)
    known = values[mine][np.isfinite(values[mine])]
    return MeasureFound(
        unit=measure.unit,
        better=measure.better,
        typical=place.value if place else None,
        low=place.low if place else None,
        high=place.high if place else None,
        ratio=_ratio(ratio) if ratio is not None else None,
        answer=found,
        more_rounds=rounds_to_settle(ratio, share) if ratio is not None and found == UNCLEAR else None,
        over=TASKS if is_score else LAUNCHES,
        drift=drift_of(evidence, measure.name, values, mine)
        if measure.name in evidence.values.likeness_names
        else None,
        margin=margin,
        tasks=evidence.record_against_reference(measure.name, name),
        dots=tuple(float(value) for value in known[:: max(1, len(known) // MOST_DOTS)]),
    )


def _ratio(ratio: Ratio) -> RatioFound:
    return RatioFound(
        value=ratio.value, low=ratio.low, high=ratio.high, low_together=ratio.low_together,
        high_together=ratio.high_together, comparisons=ratio.comparisons,
    )  # fmt: skip


def _of_reference(evidence: Evidence, name: str) -> float | None:
    place = evidence.location(name, evidence.runs.of_variant(evidence.reference))
    return place.value if place is not None else None


def _conclusion(measure: Measure, ratio: Ratio | None, margin: float) -> str | None:
    if measure.better is None:
        return None
    words = ("faster", "slower") if measure.is_speed else ("better", "worse")
    return conclusion(ratio, better_is_less=measure.better == LESS, words=words, margin=margin)


def _split(evidence: Evidence, name: str) -> Split | None:
    if name == evidence.reference:
        return None
    return split_speed_up(_stepped(evidence, name), _stepped(evidence, evidence.reference))


def _stepped(evidence: Evidence, name: str) -> SteppedRuns:
    mine = evidence.runs.of_variant(name)
    return SteppedRuns(
        time_s=evidence.values.of(TIME)[mine],
        steps=evidence.values.of("output.steps")[mine],
        step_s=evidence.values.of("step.time")[mine],
        rounds=evidence.runs.round[mine],
        launches=evidence.runs.launch[mine],
        items=evidence.runs.item[mine],
    )


def _failures(evidence: Evidence, mine: np.ndarray) -> FailuresFound:
    """Count what failed of the runs with an outcome, by whole launches where one is either all right or all wrong."""
    status = evidence.runs.status.take(mine)
    statuses, has_outcome = status.counts(), status.where(lambda status: status in OUTCOMES)
    failed = status.where(lambda status: status in FAILURES)[has_outcome]
    count, outcomes = int(np.count_nonzero(failed)), len(failed)
    launches, launch_count = numbered(evidence.runs.launch[mine][has_outcome])
    of_launches = group_means(failed.astype(float), launches, launch_count)
    over, low, high = RUNS, *wilson(count, outcomes)
    if count and launch_count < outcomes and np.all((of_launches == 0) | (of_launches == 1)):
        over, low, high = LAUNCHES, *wilson(int(of_launches.sum()), launch_count)
    return FailuresFound(
        count=count, share=count / outcomes if outcomes else 0.0, low=low, high=high, over=over,
        kinds={kind: statuses[kind] for kind in FAILURES if statuses[kind]},
    )  # fmt: skip


def _notes(evidence: Evidence, rows: tuple[ComparisonRow, ...], main: str, measures: Collection[str]) -> list[str]:
    notes = []
    rounds = max((row.rounds for row in rows), default=0)
    if rounds == 1:
        notes.append("One round only: no interval can be given, since what varies from one start of a process to the "
                     "next has not been seen. Set rounds to 3 or more.")  # fmt: skip
    ratios = [row.measures[main].ratio for row in rows]
    comparisons = max((ratio.comparisons for ratio in ratios if ratio is not None and ratio.low is not None), default=0)
    if comparisons > 1:
        notes.append(f"Intervals and answers are of {comparisons} comparisons together: were all variants alike, any "
                     "of them would be told apart in at most 5 of 100 such tables.")  # fmt: skip
    notes += [words for name in measures if (words := records_words(rows, evidence.reference, name))]
    short = [row.variant for row in rows if row.rounds < rounds]
    if short and rounds > 1:
        notes.append(f"Fewer rounds than the others so far: {', '.join(short)}.")
    unfinished = [row.variant for row in rows if row.finished == 0]
    if unfinished:
        notes.append(f"No finished run: {', '.join(unfinished)}. 'unvek log' lists what happened.")
    notes += [
        f"Taken together over {name} {', '.join(map(str, values))}; --varied {name}={values[0]} takes one."
        for name, values in evidence.settings.varied_values.items()
    ]
    notes += circumstance_notes(evidence, with_warming=False, measures=measures)  # warming is among the doubts
    if evidence.left_out:
        notes.append(f"{evidence.left_out} voided runs, or runs of an earlier form of the plan, are left out.")
    return notes
