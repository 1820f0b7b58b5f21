"""What variants put out: nothing, always the same, or what can't be measured."""

from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping

import numpy as np

from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.measurements import NO_FAULT, PoorOutputs
from unvek.core.evidence.outputs.source import MADE_NONE, tells_of_change
from unvek.core.evidence.poor_outputs import BLANK
from unvek.core.findings.audit.confounder import DOUBT, Confounder
from unvek.core.units import counted

MOST_REASONS = 2  # of one measure, each named


def output_findings(evidence: Evidence) -> Iterator[Confounder]:
    yield from poor_findings(evidence.poor)
    yield from _without_value(evidence)


def poor_findings(poor: Iterable[PoorOutputs]) -> Iterator[Confounder]:
    """Name the variants that put out nothing, or the same whatever they are asked."""
    by_fault: dict[tuple[str, str], list[str]] = defaultdict(list)
    for one in poor:
        by_fault[one.sort, one.what].append(one.variant)
    for (sort, what), names in by_fault.items():
        puts = f"{', '.join(names)} {'puts' if len(names) == 1 else 'put'}"
        said = f"{puts} out blank {sort}s only" if what == BLANK else f"{puts} out the same {sort} whatever is asked"
        yield Confounder(
            code=f"outputs-{what}", severity=DOUBT, variants=tuple(names),
            text=f"{said}.",
            why="A likeness praises what is empty on both sides, and a speed means nothing where nothing was made.",
            mend="Look at them with 'unvek sheet' or 'unvek show RUN': it is mostly a loader that fails in silence.",
        )  # fmt: skip


def _without_value(evidence: Evidence) -> Iterator[Confounder]:
    """Name the variants whose outputs a measure has no value of, for each reason.

    To have made no output of that sort is one only for an item of which others made some.
    """
    finished = evidence.runs.rows.coded("variant").take(evidence.runs.finished).counts()
    found: dict[tuple[str, str], Counter[str]] = defaultdict(Counter)
    asked = {measure.name for measure in evidence.plan.measures} | set(evidence.values.score_names)
    without = [one for one in evidence.without if one.name in asked]
    items_with = {name: _items_with_value(evidence, name) for name in {one.name for one in without}}
    for one in without:
        if one.run not in evidence.runs or tells_of_change(one.why) or one.why in NO_FAULT:
            continue
        if one.why.startswith(MADE_NONE) and evidence.runs.item_of(one.run) not in items_with[one.name]:
            continue
        found[one.name, one.why][evidence.runs.variant_name(one.run)] += 1
    for (measure, why), runs in _few_of_each(found).items():
        said = ", ".join(f"{name} ({count} of {counted(finished[name], 'run')})" for name, count in runs.items())
        yield Confounder(
            code="no-value", severity=DOUBT, variants=tuple(runs),
            text=f"{measure} has no value of {said}: {why}.",
            why="What is shown speaks of the others alone.",
            mend="'unvek measure' lists the runs with their reasons.",
        )  # fmt: skip


def _few_of_each(found: Mapping[tuple[str, str], Counter[str]]) -> dict[tuple[str, str], Counter[str]]:
    """Put reasons together where a measure has many: each program's last words may be others."""
    by_measure: dict[str, list[str]] = {}
    for (measure, why), _ in sorted(found.items(), key=lambda one: -one[1].total()):
        by_measure.setdefault(measure, []).append(why)
    few: dict[tuple[str, str], Counter[str]] = {}
    for measure, reasons in by_measure.items():
        named, rest = reasons[:MOST_REASONS], reasons[MOST_REASONS:]
        few |= {(measure, why): found[measure, why] for why in named}
        if rest:
            runs = sum((found[measure, why] for why in rest), Counter[str]())
            few[measure, f"for {counted(len(rest), 'other reason')}"] = runs
    return few


def _items_with_value(evidence: Evidence, name: str) -> set[int]:
    return set(evidence.runs.item[np.isfinite(evidence.values.of(name))].tolist())
