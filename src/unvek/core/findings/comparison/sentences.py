"""A row of a comparison as one sentence that could be read aloud, and that can't be taken for more than it says."""

from collections.abc import Iterable

from unvek.core.findings.comparison.found import ComparisonRow, MeasureFound, RatioFound
from unvek.core.measures.catalogue import TIME
from unvek.core.stats.items import TaskRecord
from unvek.core.stats.speedup import Split
from unvek.core.stats.student import Estimate
from unvek.core.units import bytes_words, counted, duration_words, ratio_decimals, speed_words, times_words

WORTH_NAMING = 0.1  # of what all the parts of a split come to
FEWEST_FOR_RECORD = 6  # tasks
LEAST_SAID = 0.001  # of a probability


def sentence(row: ComparisonRow, reference: str, measure: str, quality: str | None) -> str:
    """Say what a measure of this variant is against the reference's, and what goes with it."""
    words = [_about(row, reference, measure)]
    if measure == TIME and row.split is not None and row.measures[TIME].answer in ("faster", "slower"):
        words.append(_split_words(row.split))
    score = row.measures.get(quality) if quality and quality != measure else None
    if score is not None and score.typical is not None:
        words.append(f"{quality} {score.typical:.3g}")
    if row.failures.count:
        words.append(f"{row.failures.count} of {counted(row.runs, 'run')} failed")
    return "; ".join(word for word in words if word) + "."


def records_words(rows: Iterable[ComparisonRow], reference: str, name: str) -> str:
    """Say of a score on how many tasks each variant was better and worse than the reference; nothing where of none."""
    records = [(row.variant, record) for row in rows if (record := row.measures[name].tasks) is not None]
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


def _about(row: ComparisonRow, reference: str, name: str) -> str:
    found = row.measures[name]
    subject, verb = (row.variant, "takes") if name == TIME else (f"{name} of {row.variant}", "is")
    if row.finished == 0:
        return f"{row.variant} has no run that finished"
    if found.typical is None:
        return f"{name} is not known of {row.variant}"
    if row.variant == reference:
        return f"{subject}, the reference, {verb} {_value(found)}"
    if found.ratio is None:
        return f"{subject} {verb} {_value(found)}, with nothing of {reference} to pair it with"
    return f"{subject} {_against(found, found.ratio, reference, name)}"


def _against(found: MeasureFound, ratio: RatioFound, reference: str, name: str) -> str:
    is_time = name == TIME
    said = speed_words(ratio.value, reference) if is_time else f"{times_words(ratio.value)} that of {reference}"
    low, high = ratio.low_together, ratio.high_together
    if low is not None and high is not None and not is_time:
        said = f"{ratio.value:.{ratio_decimals(low, high)}f}x that of {reference}"
    if low is None or high is None:
        return f"was {said} in the one launch there is, which may be luck"
    if low == high and found.over == "tasks":
        return f"is {said} on each of these tasks, which says nothing of others"
    if found.answer == "same":
        return f"{'takes as long as' if is_time else 'is the same as that of'} {reference}, within {found.margin.words}"
    if found.answer == "unclear":
        open_ = "may be faster or slower than" if is_time else "may be more or less than that of"
        return f"{open_} {reference} ({_range(ratio, is_time)}); {_needed(found)}"
    return f"is {said}, {_range(ratio, is_time)}{f': {found.answer}' if found.answer and not is_time else ''}"


def _range(ratio: RatioFound, is_time: bool) -> str:
    """The table's interval in times, with the digits that it supports."""
    low, high = ratio.low_together, ratio.high_together
    assert low is not None
    assert high is not None
    low, high = (1 / high, 1 / low) if is_time else (low, high)
    decimals = ratio_decimals(low, high)
    return f"95 % interval {low:.{decimals}f} to {high:.{decimals}f} times"


def _needed(found: MeasureFound) -> str:
    if found.over == "tasks":
        return "more tasks would be needed to tell"
    if found.more_rounds is None:
        return "very many more rounds would be needed to tell"
    return f"about {counted(found.more_rounds, 'more round')} would tell"


def _value(found: MeasureFound) -> str:
    assert found.typical is not None
    match found.unit:
        case "s":
            return duration_words(found.typical)
        case "B":
            return bytes_words(found.typical)
        case unit:
            return f"{found.typical:.3g}{' ' if unit else ''}{unit}"


def _split_words(split: Split) -> str:
    """Say what made the difference: the parts that are known, and a tenth of it or more, the largest first."""
    steps = f"({split.steps:.3g} for {split.reference_steps:.3g})"
    step_s = f"({duration_words(split.step_s)} for {duration_words(split.reference_step_s)})"
    parts = [
        (split.fewer_steps_s, f"fewer steps {steps}", f"more steps {steps}"),
        (split.faster_steps_s, f"faster steps {step_s}", f"slower steps {step_s}"),
        (split.fixed_s, "what comes beside the steps", "what comes beside the steps"),
    ]
    least = WORTH_NAMING * sum(abs(saved.value) for saved, _, _ in parts)
    named = sorted((part for part in parts if _is_known(part[0], least)), key=lambda part: -abs(part[0].value))
    return ", ".join(_part_words(saved.value, less, more) for saved, less, more in named)


def _part_words(saved_s: float, less: str, more: str) -> str:
    return f"{duration_words(abs(saved_s))} {f'less by {less}' if saved_s > 0 else f'more by {more}'}"


def _is_known(saved: Estimate, least: float) -> bool:
    """Whether a part is large enough to be named, and its interval does not hold 0."""
    if abs(saved.value) < max(least, 1e-12) or saved.low is None or saved.high is None:
        return False
    return saved.low > 0 or saved.high < 0
