"""How the runs were made: which were cold, disturbed, fewer than others, of other things, or timed in another way."""

import math
from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping
from itertools import chain

import numpy as np

from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.audit.confounder import DOUBT, NOTE, UNFAIR, Confounder
from unvek.core.findings.audit.shape import apart_from_usual
from unvek.core.findings.audit.which_runs import (
    MANY_SHARE,
    counts_words,
    numbers_words,
    rows_by_variant,
    taken_by_others,
)
from unvek.core.logbook.rows import RunRow
from unvek.core.measures.catalogue import CALLS, COUNTED_IN, RETRIES
from unvek.core.run.events.record import BY_HAND, DISTURBED_FROM, FAILURES, IMPORTED, MEASURED, SIMULATED
from unvek.core.stats.grouping import group_medians, numbered
from unvek.core.stats.trend import change
from unvek.core.units import counted

LENGTHS_DIFFER_FROM = 0.02
CALLS_DIFFER_FROM = 0.05


def runs_findings(evidence: Evidence) -> Iterator[Confounder]:
    yield from _sources(evidence)
    yield from _cold(evidence)
    yield from _warming(evidence)
    yield from _items(evidence)
    yield from _launches(evidence)
    yield from _lengths(evidence)
    yield from _calls(evidence)
    yield from _disturbed(evidence)
    yield from _trend(evidence)
    yield from _failures(evidence)
    yield from _voided(evidence)


def _names(evidence: Evidence) -> tuple[str, ...]:
    """The variants that have a finished run."""
    has_run = set(np.unique(evidence.runs.variant[evidence.runs.finished]).tolist())
    return tuple(variant.name for place, variant in enumerate(evidence.variants) if place in has_run)


def _sources(evidence: Evidence) -> Iterator[Confounder]:
    of = {source: evidence.runs.variants_from(source) for source in (MEASURED, SIMULATED, BY_HAND, IMPORTED)}
    said = {
        SIMULATED: (UNFAIR, "measured on a stand-in, and simulated", "A stand-in's times are nobody's.",
                    "Read them as an example only; run all of them on the same, real thing."),
        BY_HAND: (DOUBT, "timed by hand", "A hand is late, which the intervals know, and nobody saw what else ran.",
                  "Let Unvek run it; or time something so long that a tenth of a second does not matter."),
        IMPORTED: (DOUBT, "imported, not measured here", "How those times were taken is not known here.",
                   "Run it here: 'unvek run'."),
    }  # fmt: skip
    for source, (severity, words, why, mend) in said.items():
        if of[source]:
            mixed = any(other != source and names for other, names in of.items())
            beside = f" beside what was {MEASURED} here" if of[MEASURED] and mixed else ""
            yield Confounder(
                code=source, severity=severity if mixed else NOTE, variants=of[source],
                text=f"{', '.join(of[source])} {'was' if len(of[source]) == 1 else 'were'} {words}{beside}.",
                why=why, mend=mend,
            )  # fmt: skip


def _cold(evidence: Evidence) -> Iterator[Confounder]:
    cold, names = evidence.runs.only_cold, _names(evidence)
    warm = [name for name in names if name not in cold]
    if cold:
        yield Confounder(
            code="cold-mixed" if warm else "cold", severity=UNFAIR if warm else DOUBT, variants=cold,
            text=f"Every run of {', '.join(cold)} was the first of its process"
                 + (f", while {', '.join(warm)} ran warm." if warm else "."),
            why="The first run of a process is slower: caches, files and libraries are being filled.",
            mend="Set warmups to 1 or more; a program started for each run is always cold, so hold it against such.",
        )  # fmt: skip


def _warming(evidence: Evidence) -> Iterator[Confounder]:
    launches: dict[str, int] = Counter(found.variant for found in evidence.runs.still_warming)
    if launches:
        most = max(found.less_time_share for found in evidence.runs.still_warming)
        yield Confounder(
            code="still-warming", severity=DOUBT, variants=tuple(launches),
            text=f"Some launches were still getting faster after their warm-ups, by up to {100 * most:.0f} %: "
                 f"{_each(launches)}."
            if sum(launches.values()) > 1
            else f"One launch, of {next(iter(launches))}, seems to have been getting faster after its warm-ups, by "
                 f"{100 * most:.0f} %: of one launch that is unsure.",
            why="Figures of these variants hold something of the first, slower runs.",
            mend="Set more warmups.",
        )  # fmt: skip


def _items(evidence: Evidence) -> Iterator[Confounder]:
    counts = {
        name: Counter(evidence.runs.item[evidence.runs.of_variant(name) & evidence.runs.finished].tolist())
        for name in _names(evidence)
    }
    theirs = counts.get(evidence.reference)
    if theirs is None:
        return
    for name, ours in counts.items():
        missing, more = theirs.keys() - ours.keys(), ours.keys() - theirs.keys()
        if missing or more:
            words = [f"lacks {len(missing)}" if missing else "", f"has {len(more)} more" if more else ""]
            yield Confounder(
                code="items-differ", severity=UNFAIR, variants=(name,),
                text=f"{name} {' and '.join(word for word in words if word)} of the items (task and seed) "
                     f"that {evidence.reference} has finished.",
                why="One may have had the easier tasks. Only ratios are of the common items alone.",
                mend="Finish the plan with 'unvek run', or take the common tasks with --tasks.",
            )  # fmt: skip
    yield from _repeats(evidence.reference, theirs, counts)


def _repeats(reference: str, theirs: Counter[str], counts: Mapping[str, Counter[str]]) -> Iterator[Confounder]:
    """Tell once who has other numbers of runs of the reference's items, each number with those that have it."""
    with_number: dict[int, list[str]] = {}
    for name, ours in counts.items():
        if ours.keys() == theirs.keys() and ours != theirs:
            with_number.setdefault(sum(ours.values()), []).append(name)
    if with_number:
        parts = [
            f"{', '.join(names)} {'have' if names[1:] else 'has'} {number}" for number, names in with_number.items()
        ]
        yield Confounder(
            code="repeats-differ", severity=NOTE, variants=tuple(chain.from_iterable(with_number.values())),
            text=f"{'; '.join(parts)} finished runs, {reference} {sum(theirs.values())}.",
            why="What has fewer is known less well; its interval says how well.",
            mend="Finish the plan with 'unvek run'.",
        )  # fmt: skip


def _launches(evidence: Evidence) -> Iterator[Confounder]:
    once = tuple(
        name
        for name in _names(evidence)
        if len(np.unique(evidence.runs.launch[evidence.runs.of_variant(name) & evidence.runs.finished])) == 1
    )
    if once:
        yield Confounder(
            code="one-launch", severity=DOUBT, variants=once,
            text=f"All runs of {', '.join(once)} are from one launch.",
            why="Starts of a process differ from each other, and one of them can't show by how much.",
            mend="Set rounds to 3 or more.",
        )  # fmt: skip


def _lengths(evidence: Evidence) -> Iterator[Confounder]:
    known = evidence.values.measures
    units = [unit for unit in COUNTED_IN if f"output.{unit}" in known and evidence.values.has(f"output.{unit}")]
    for name in _names(evidence) if units else ():
        ratio = evidence.ratio_to_reference(f"output.{units[0]}", name)
        if ratio is not None and abs(math.log(ratio.value)) > LENGTHS_DIFFER_FROM:
            yield Confounder(
                code="lengths-differ", severity=UNFAIR, variants=(name,),
                text=f"{name} writes {ratio.value:.2f} times as many {units[0]} as {evidence.reference}.",
                why="What writes less is done sooner for that alone.",
                mend=f"Read the rate of {units[0]}, or the time for each, instead of the whole time"
                     f"{', and cost.per.token beside the cost' if evidence.values.has_costs else ''}.",
            )  # fmt: skip


def _calls(evidence: Evidence) -> Iterator[Confounder]:
    """What a variant calls for, or asks again, more or less often than the reference: then it does other work."""
    finished = evidence.runs.finished
    for measure, words in ((CALLS, "calls"), (RETRIES, "retries")):
        if not evidence.values.has(measure):
            continue
        values = evidence.values.of(measure)
        if measure == RETRIES:  # which Unvek counts itself, where there are any
            values = np.where(np.isfinite(values), values, 0.0)
        known = finished & np.isfinite(values)
        means = {name: float(np.mean(values[mine])) for name in _names(evidence)
                 if np.any(mine := known & evidence.runs.of_variant(name))}  # fmt: skip
        usual = means.get(evidence.reference, math.nan)
        for name, made in means.items():
            if abs(made - usual) > CALLS_DIFFER_FROM * max(made, usual):
                yield Confounder(
                    code=f"{words}-differ", severity=DOUBT, variants=(name,),
                    text=f"{name} makes {made:.3g} {words} a run, {evidence.reference} {usual:.3g}.",
                    why="Time and cost of a run are then of more work, or of less.",
                    mend="Read what a call takes beside what a run takes"
                         f"{': cost.per.call' if evidence.values.has_costs else ''}.",
                )  # fmt: skip


def _disturbed(evidence: Evidence) -> Iterator[Confounder]:
    disturbed = evidence.runs.column("others_share") + evidence.runs.column("stolen_share") >= DISTURBED_FROM
    by_severity: dict[str, dict[str, list[RunRow]]] = {DOUBT: {}, NOTE: {}}
    for name, rows in rows_by_variant(evidence, np.flatnonzero(disturbed & evidence.runs.finished)).items():
        share = len(rows) / np.count_nonzero(evidence.runs.of_variant(name) & evidence.runs.finished)
        by_severity[DOUBT if share > MANY_SHARE else NOTE][name] = rows
    for severity, found in by_severity.items():
        if found:
            most = max(taken_by_others(row) for rows in found.values() for row in rows)
            many = "a tenth of a variant's runs or more" if severity == DOUBT else "a few runs"
            said = f"During {many}, other processes or the host took up to {most:.1f} cores"
            yield Confounder(
                code="disturbed", severity=severity, variants=tuple(found),
                text=f"{said}: {numbers_words(found)}.", brief=f"{said}: {counts_words(found)}.",
                why="A model that has to share its cores is slower than it need be.",
                mend="See 'unvek rig' for what else runs; 'unvek run --undisturbed' makes such rounds again, by the "
                     "machine's counters alone and for all variants alike.",
            )  # fmt: skip


def _trend(evidence: Evidence) -> Iterator[Confounder]:
    places, apart = apart_from_usual(evidence)
    launches, count = numbered(evidence.runs.launch[places])
    levels = group_medians(apart, launches, count)
    changed = change(levels)
    if changed is not None:
        yield Confounder(
            code="session-trend", severity=DOUBT, variants=_names(evidence),
            text=f"Over the session all variants together grew {'slower' if changed > 0 else 'faster'}, by about "
                 f"{100 * abs(math.expm1(changed)):.0f} % from the first third of it to the last.",
            why="A machine that heats up or settles changes every figure. Ratios are paired by round, so they feel it "
                "little; medians do.",
            mend="Keep order = \"balanced\", and let the machine settle; then 'unvek run --afresh'.",
        )  # fmt: skip


def _failures(evidence: Evidence) -> Iterator[Confounder]:
    failed = evidence.runs.status.where(lambda status: status in FAILURES)
    for name, rows in rows_by_variant(evidence, np.flatnonzero(failed)).items():
        kinds = ", ".join(f"{kind} {number}" for kind, number in Counter(row.status for row in rows).items())
        yield Confounder(
            code="survivors", severity=DOUBT, variants=(name,),
            text=f"{counted(len(rows), 'run')} of {name} failed ({kinds}), and no time or score speaks of them.",
            why="Figures of what survived look better than the variant is.",
            mend="Read the failure share beside the times; 'unvek log --status failed' lists them.",
        )  # fmt: skip


def _voided(evidence: Evidence) -> Iterator[Confounder]:
    by_variant: dict[str, list[RunRow]] = defaultdict(list)
    for row in evidence.voided:
        by_variant[row.variant].append(row)
    for name, rows in by_variant.items():
        reasons = ", ".join(dict.fromkeys(str(row.voided) for row in rows))
        yield Confounder(
            code="voided", severity=NOTE, variants=(name,),
            text=f"Of {name} {counted(len(rows), 'run')} {'was' if len(rows) == 1 else 'were'} taken out: "
                 f"{reasons[:200]}.",
            why="Runs that are taken out for how they came out bend every figure.",
            mend="See 'unvek log' for which; 'unvek void RUN --undo' takes one in again.",
        )  # fmt: skip


def _each(counts: Mapping[str, int]) -> str:
    return ", ".join(f"{name} {count}" for name, count in counts.items())
