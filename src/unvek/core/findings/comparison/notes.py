"""What a reader must know beside the table: of how much it is, and where other figures answer otherwise."""

from collections.abc import Collection, Iterable, Iterator, Sequence

import numpy as np

from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.circumstances import circumstance_notes
from unvek.core.findings.comparison.cost_notes import cost_notes
from unvek.core.findings.comparison.digits import Digits
from unvek.core.findings.comparison.drift_scale import drift_notes
from unvek.core.findings.comparison.found import RIG, BesideFound, ComparisonRow, MeasureFound, RatioFound
from unvek.core.findings.comparison.sentences import named, ratio_words
from unvek.core.findings.comparison.variety import variety_notes
from unvek.core.findings.comparison.wordings import wording_notes
from unvek.core.measures.catalogue import COST_PER_GOOD
from unvek.core.stats.over_tasks.items import TaskRecord
from unvek.core.units import counted

FEWEST_FOR_RECORD = 6  # tasks
LEAST_SAID = 0.001  # of a probability
FAR_FROM_TYPICAL = 1.1  # of the slowest over a typical run, against the reference's


def notes_of(
    evidence: Evidence, rows: Sequence[ComparisonRow], main: str, measures: Collection[str], digits: Digits
) -> Iterator[str]:
    reference = evidence.reference
    rounds = max((row.rounds for row in rows), default=0)
    if rounds == 1:
        yield ("One round only: no interval can be given, since what varies from one start of a process to the next "
               "has not been seen. Set rounds to 3 or more.")  # fmt: skip
    ratios = [row.measures[main].ratio for row in rows]
    comparisons = max((ratio.comparisons for ratio in ratios if ratio is not None and ratio.low is not None), default=0)
    if comparisons > 1:
        yield (f"Intervals and answers are of {comparisons} comparisons together: were all variants alike, any of them "
               "would be told apart in at most 5 of 100 such tables.")  # fmt: skip
    if any(row.measures[main].more_rounds_low for row in rows) and evidence.pilot is None:
        yield ("Rounds that are added by hand until an answer pleases make one up: settle_to in the plan's [schedule] "
               "adds as many as it takes, settled beforehand, and keeps the intervals true.")  # fmt: skip
    yield from _besides(rows, reference, main, digits)
    for name in measures:
        if words := _records_words(rows, reference, name):
            yield words
        yield from _corpus_words(rows, reference, name, digits)
        if (judges := evidence.values.judged_by(name)) is not None:
            yield f"{name} is by {judges}: 'unvek judge tally' says how far that can be believed."
        if name == COST_PER_GOOD and evidence.values.is_cost(name):
            yield from cost_notes(evidence, rows)
        yield from variety_notes(evidence, rows, name)
        yield from drift_notes(evidence, name)
    quality = evidence.quality
    if quality is not None and quality in measures:
        yield from _tasks_to_tell(evidence, rows, quality)
        yield from wording_notes(evidence, quality)
    short = dict.fromkeys(row.variant for row in rows if row.rounds < rounds)
    if short and rounds > 1:
        yield f"Fewer rounds than the others so far: {', '.join(short)}."
    unfinished = [named(row) for row in rows if row.finished == 0]
    if unfinished:
        yield f"No finished run: {', '.join(unfinished)}. 'unvek log' lists what happened."
    for name, values in evidence.settings.compared_values.items():
        if set(rows[0].varied) <= {RIG}:
            yield (f"Taken together over {name} {', '.join(map(str, values))}, each held against the reference with "
                   f"the same; --varied {name}={values[0]} takes one.")  # fmt: skip
    yield from circumstance_notes(evidence, with_warming=False, measures=measures)  # warming is among the doubts
    if evidence.left_out:
        yield f"{evidence.left_out} voided runs, or runs of an earlier form of the plan, are left out."


# ---- what stands beside a typical run ----


def _besides(rows: Sequence[ComparisonRow], reference: str, name: str, digits: Digits) -> Iterator[str]:
    for row in rows:
        found = row.measures[name]
        for beside, words in (
            (found.mean, "In the mean, with stalls for as long as they last"),
            (found.total, "All items together, long ones for as long as they take"),
        ):
            if beside is not None and beside.ratio is not None and _answers_otherwise(found, beside):
                yield f"{words}: {named(row)} {_answer_words(beside, beside.ratio, name, reference, digits)}."
                break
    yield from _slowest(rows, reference, name, digits)


def _answers_otherwise(found: MeasureFound, beside: BesideFound) -> bool:
    return found.answer is not None and beside.answer is not None and found.answer != beside.answer


def _answer_words(beside: BesideFound, ratio: RatioFound, name: str, reference: str, digits: Digits) -> str:
    said = ratio_words(ratio, name, reference, digits)
    return f"is {said}: {beside.answer}" if beside.answer != "unclear" else f"may be faster or slower; it is {said}"


def _slowest(rows: Sequence[ComparisonRow], reference: str, name: str, digits: Digits) -> Iterator[str]:
    """Say of which variants the slowest runs lie further off from a typical one than the reference's, or less far."""
    for row in rows:
        found = row.measures[name]
        of_reference = next(
            (other.measures[name] for other in rows if other.variant == reference and other.varied == row.varied), None
        )
        if row.variant == reference or not (found.slowest and found.typical):
            continue
        if of_reference is None or not (of_reference.slowest and of_reference.typical):
            continue
        further = (found.slowest / found.typical) / (of_reference.slowest / of_reference.typical)
        if max(further, 1 / further) >= FAR_FROM_TYPICAL:
            scale = digits.scales[name]
            yield (f"The slowest 5 of 100 runs of {named(row)} take {scale.with_unit(found.slowest)} or more, those of "
                   f"{reference} {scale.with_unit(of_reference.slowest)}.")  # fmt: skip


# ---- scores, task by task ----


def _records_words(rows: Iterable[ComparisonRow], reference: str, name: str) -> str:
    """Say of a score on how many tasks each variant was better and worse than the reference; nothing where of none."""
    records = [(named(row), record) for row in rows if (record := row.measures[name].tasks) is not None]
    if not records:
        return ""
    most = max(one.better + one.alike + one.worse for _, one in records)
    if most < FEWEST_FOR_RECORD:
        return (f"{name} is of {counted(most, 'task')}: under {FEWEST_FOR_RECORD}, how often it was better and worse "
                "can show nothing.")  # fmt: skip
    of: dict[str, list[str]] = {}
    for variant, record in records:
        of.setdefault(_record_words(record), []).append(variant)
    said = "; ".join(f"{', '.join(variants)} {words}" for words, variants in of.items())
    return f"{name} against {reference}, task by task: {said}."


def _record_words(record: TaskRecord) -> str:
    if not record.better and not record.worse:
        return f"alike on all {record.alike}"
    likely = f"p {record.p:.2g}" if record.p >= LEAST_SAID else f"p under {LEAST_SAID}"
    return f"{record.better} better, {record.alike} alike, {record.worse} worse ({likely})"


def _corpus_words(rows: Sequence[ComparisonRow], reference: str, name: str, digits: Digits) -> Iterator[str]:
    """Say what a measure of texts comes to over all their tokens: long texts then count for more."""
    known = [(row, corpus) for row in rows if (corpus := row.measures[name].corpus) is not None]
    said = []
    for row, corpus in known:
        words = f"{named(row)} {digits.scales[name].words(corpus.value)}"
        if corpus.ratio is not None and corpus.answer is not None:
            words += f" ({corpus.ratio.value:.{digits.ratios[name]}f}x that of {reference}: {corpus.answer})"
        said.append(words)
    if said:
        yield f"{name} over the tokens of all texts together: {', '.join(said)}."


def _tasks_to_tell(evidence: Evidence, rows: Sequence[ComparisonRow], name: str) -> Iterator[str]:
    """Say how many tasks would show a loss of the margin, where these are fewer."""
    wanted = [many for row in rows if (many := row.measures[name].tasks_to_tell) is not None]
    tasks = len(np.unique(evidence.runs.task_codes[np.isfinite(evidence.values.of(name))]))
    if wanted and max(wanted) > tasks:
        low, high = min(wanted), max(wanted)
        range_ = f"{low} to {high}" if low < high else f"{high}"
        yield (f"To tell a loss of {evidence.margin(name).words} in {name} takes about {range_} tasks, by how much "
               f"these {tasks} differ.")  # fmt: skip
