"""The variants against the reference: every measure with its interval, its ratio and what that answers."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from unvek.core.evidence.counted_runs import Floats, Truths, VariantOnRecord
from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.audit.audit import Doubt, doubts_of
from unvek.core.findings.comparison.digits import digits_of
from unvek.core.findings.comparison.found import RIG, Comparison, ComparisonRow, FailuresFound
from unvek.core.findings.comparison.machines import (
    all_words,
    machine_notes,
    machines_found,
    parts_by_machine,
    rows_of_kind,
)
from unvek.core.findings.comparison.measuring import LAUNCHES, MeasureInTable
from unvek.core.findings.comparison.notes import notes_of
from unvek.core.findings.comparison.parts import Part, parts_of, settings_of
from unvek.core.findings.comparison.sentences import sentence, sentences
from unvek.core.measures.catalogue import (
    CALLS,
    COST,
    COST_PER_CALL,
    COST_PER_GOOD,
    COST_PER_THOUSAND,
    COST_PER_TOKEN,
    COSTS,
    MODEL_MEMORY,
    PEAK_MEMORY,
    PHASE_STEP_TIME,
    PHASE_STEPS,
    READ_TOKENS,
    RETRIES,
    TIME,
)
from unvek.core.run.events.record import FAILURES, OUTCOMES
from unvek.core.stats.grouping import numbered
from unvek.core.stats.over_launches.speedup import ALL_STEPS, Split, SteppedRuns, Steps, split_speed_up
from unvek.core.stats.shares import share_by_launch

DEFAULT_MEASURES = (TIME, "step.time", "time.load", PEAK_MEMORY, MODEL_MEMORY, "memory.device", "energy")
# Of answers that come in pieces; shown where there are any.
STREAM_MEASURES = (
    "rate.tokens", "rate.words", "rate.characters", "rate.pieces", "time.first", "rate.input", "gap.p99",
    "output.tokens", "rate.tokens.sum", "rate.words.sum", "rate.characters.sum", "rate.pieces.sum", "request.time",
    "requests.failed",
)  # fmt: skip
# Of what runs cost, where there are prices; and of how much was done for it.
COST_MEASURES = (COST_PER_THOUSAND, COST, COST_PER_GOOD)
DONE_FOR_IT = (READ_TOKENS, "output.tokens", CALLS, RETRIES)
# Beside the total where what is made differs in length: what each is over, and where that stands.
FOR_LENGTHS = {
    "time.per.token": "rate.tokens",
    "time.per.frame": "rate.frames",
    "time.per.megapixel": "rate.megapixels",
}
COST_FOR_IT = {COST_PER_TOKEN: "output.tokens", COST_PER_CALL: CALLS}
RUNS = "runs"  # what a share of failures is over, if not over launches


def compare(
    evidence: Evidence, rig: Mapping[str, Any], asked: Sequence[str] = (), doubts: tuple[Doubt, ...] | None = None
) -> Comparison:
    """Return the comparison of everything in the evidence, machine by machine where that was gathered so.

    doubts: what a look at each machine has found, where not all of it is to be looked at together. InputError where a
    measure asked for is none, or by machine where there is one machine alone.
    """
    for name in asked:
        evidence.values.measure(name)
    quality = evidence.quality
    usual = quality if evidence.plan.keeps_previews and quality is not None else TIME  # no time counts then
    main = asked[0] if asked else usual
    parts = parts_by_machine(evidence) if evidence.by_rig else parts_of(evidence)
    with_sums = {TIME, *asked} - set(COSTS)  # a cost is a sum by itself
    measures = {
        name: MeasureInTable(evidence, name, parts, with_sums=name in with_sums) for name in _names(evidence, asked)
    }
    kinds = {variant.name: settings_of(evidence, parts, variant.name) for variant in evidence.variants}
    found = [
        _row(evidence, parts, place, variant, measures)
        for place, part in enumerate(parts)
        for variant in evidence.variants
        if not kinds[variant.name] or part.settings in kinds[variant.name]
    ]
    machines = machines_found(evidence, found, main) if evidence.by_rig else None
    if machines is not None and machines.of_one_kind:
        found += rows_of_kind(evidence, found, _rows_of_all(evidence, tuple(measures), len(parts)))
    doubts, digits = doubts_of(evidence) if doubts is None else doubts, digits_of(found)
    rows = tuple(
        replace(
            row,
            sentence=sentence(row, evidence.reference, main, quality, digits),
            doubts=tuple(doubt.number for doubt in doubts if row.variant in doubt.variants),
        )
        for row in found
    )
    notes = [] if machines is None else list(machine_notes(machines, evidence.reference, digits))
    notes += notes_of(evidence, rows, main, tuple(measures), digits)
    return Comparison(
        title=evidence.plan.title,
        reference=evidence.reference,
        rig=rig,
        quality=quality,
        asked=tuple(dict.fromkeys(asked)),
        rows=rows,
        doubts=doubts,
        notes=tuple(dict.fromkeys(notes)),
        machines=machines,
        sentences=sentences(rows, evidence.reference, main, digits),
    )


def _rows_of_all(evidence: Evidence, names: Sequence[str], machines: int) -> list[ComparisonRow]:
    """Return a row for each variant, of the runs of all machines."""
    every = [Part({RIG: all_words(machines)}, np.ones(len(evidence.runs), bool))]
    measures = {name: MeasureInTable(evidence, name, every) for name in names}
    return [_row(evidence, every, 0, variant, measures) for variant in evidence.variants]


def _names(evidence: Evidence, asked: Sequence[str]) -> list[str]:
    """Return the measures that this comparison holds: the usual ones, the plan's, those asked for, those that apply."""
    names = [*DEFAULT_MEASURES, *evidence.values.score_names, *asked]
    known = evidence.values.measures
    streamed = [name for name in STREAM_MEASURES if name in known and evidence.values.has(name)]
    if not np.any(evidence.values.of("requests") > 1):  # all streams together are then the one that there is
        streamed = [name for name in streamed if not name.endswith(".sum")]
    if any(np.nansum(evidence.values.of(name)) > 0 for name in streamed if name != "time.first"):
        names += streamed
    names += [PHASE_STEP_TIME + stage for stage in evidence.values.stages]
    names += [name for name, rate in FOR_LENGTHS.items() if _lengths_differ(evidence, name, rate)]
    if evidence.values.has_costs:
        told = [name for name in (*COST_MEASURES, *DONE_FOR_IT) if name in known]
        names += [name for name in told if np.nansum(evidence.values.of(name)) > 0]
        done = {name: evidence.values.of(made) for name, made in COST_FOR_IT.items()}
        names += [name for name, made in done.items() if _counts_differ(evidence, made)]
    return list(dict.fromkeys(names))


def _lengths_differ(evidence: Evidence, per: str, rate: str) -> bool:
    """Whether variants make more of it than others, of the same item: then their whole times are no measure."""
    if per == "time.per.token":
        made = evidence.values.of("output.tokens")
    else:
        made = np.round(evidence.values.of(rate) * evidence.values.of(TIME), 6)
    return _counts_differ(evidence, made)


def _counts_differ(evidence: Evidence, made: Floats) -> bool:
    made = np.where(made > 0, made, np.nan)
    known = np.isfinite(made)
    if not np.any(known):
        return False
    items, count = numbered(evidence.runs.item[known])
    shortest, longest = np.full(count, np.inf), np.zeros(count)
    np.minimum.at(shortest, items, made[known])
    np.maximum.at(longest, items, made[known])
    return bool(np.any(shortest < longest))


def _row(evidence: Evidence, parts: Sequence[Part], place: int, variant: VariantOnRecord,
         measures: Mapping[str, MeasureInTable]) -> ComparisonRow:  # fmt: skip
    part = parts[place].runs
    mine = part & evidence.runs.of_variant(variant.name)
    statuses = evidence.runs.status.take(mine).counts()
    steps = evidence.values.of("output.steps")[mine]
    steps = steps[np.isfinite(steps)]
    return ComparisonRow(
        variant=variant.name,
        form=variant.form,
        precision=variant.precision,
        varied=parts[place].varied,
        rounds=len(np.unique(evidence.runs.round[mine & evidence.runs.finished])),
        runs=statuses.total(),
        finished=int(np.count_nonzero(mine & evidence.runs.finished)),
        steps=float(np.median(steps)) if np.any(steps) else None,
        weights_bytes=variant.weights_bytes,
        first_run_s=float(np.median(first)) if (first := evidence.first_runs_s.get(variant.name)) else None,
        measures={name: measure.of(place, variant.name) for name, measure in measures.items()},
        failures=_failures(evidence, mine),
        split=_split(evidence, variant.name, part),
    )


def _split(evidence: Evidence, name: str, part: Truths) -> Split | None:
    if name == evidence.reference:
        return None
    return split_speed_up(_stepped(evidence, name, part), _stepped(evidence, evidence.reference, part))


def _stepped(evidence: Evidence, name: str, part: Truths) -> SteppedRuns:
    mine = part & evidence.runs.of_variant(name)
    values = evidence.values
    counted = {stage: (PHASE_STEPS + stage, PHASE_STEP_TIME + stage) for stage in values.stages}
    counted = {stage: names for stage, names in counted.items() if np.any(np.isfinite(values.of(names[0])[mine]))}
    return SteppedRuns(
        time_s=values.of(TIME)[mine],
        steps={
            stage: Steps(count=values.of(count)[mine], each_s=values.of(each)[mine])
            for stage, (count, each) in (counted or {ALL_STEPS: ("output.steps", "step.time")}).items()
        },
        rounds=evidence.runs.round_of_machine[mine],
        launches=evidence.runs.launch[mine],
        items=evidence.runs.item[mine],
        unseen=evidence.unseen(TIME, mine),
    )


def _failures(evidence: Evidence, mine: Truths) -> FailuresFound:
    """Count what failed of the runs with an outcome."""
    status = evidence.runs.status.take(mine)
    statuses, has_outcome = status.counts(), status.where(lambda status: status in OUTCOMES)
    failed = status.where(lambda status: status in FAILURES)[has_outcome]
    low, high, come_together = share_by_launch(failed, evidence.runs.launch[mine][has_outcome])
    count, outcomes = int(np.count_nonzero(failed)), len(failed)
    return FailuresFound(
        count=count, share=count / outcomes if outcomes else 0.0, low=low, high=high,
        over=LAUNCHES if come_together else RUNS, kinds={kind: statuses[kind] for kind in FAILURES if statuses[kind]},
    )  # fmt: skip
