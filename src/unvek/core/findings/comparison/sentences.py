"""A row of a comparison as one sentence that could be read aloud, and that can't be taken for more than it says."""

from collections.abc import Sequence

from unvek.core.findings.comparison.digits import Digits, ratio_as_said
from unvek.core.findings.comparison.found import ComparisonRow, MeasureFound, RatioFound
from unvek.core.measures.catalogue import PHASE_STEP_TIME, TIME
from unvek.core.stats.over_launches.speedup import Split, StageSplit
from unvek.core.stats.student import Estimate
from unvek.core.units import counted, speed_words

WORTH_NAMING = 0.1  # of what all the parts of a split come to


def sentence(row: ComparisonRow, reference: str, measure: str, quality: str | None, digits: Digits) -> str:
    """Say what a measure of this variant is against the reference's, and what goes with it."""
    words = [_about(row, reference, measure, digits)]
    if measure == TIME and row.split is not None and row.measures[TIME].answer in ("faster", "slower"):
        words.append(_split_words(row.split, digits))
    score = row.measures.get(quality) if quality and quality != measure else None
    if quality and score is not None and score.typical is not None:
        words.append(f"{quality} {digits.scales[quality].with_unit(score.typical)}")
    if row.failures.count:
        words.append(f"{row.failures.count} of {counted(row.runs, 'run')} failed")
    return "; ".join(word for word in words if word) + "."


def sentences(rows: Sequence[ComparisonRow], reference: str, measure: str, digits: Digits) -> dict[str, str]:
    """Say of each variant, over all parts of the table, what its rows say: one sentence each."""
    of: dict[str, list[ComparisonRow]] = {}
    for row in rows:
        of.setdefault(row.variant, []).append(row)
    return {name: mine[0].sentence if len(mine) == 1 else _over_parts(mine, reference, measure, digits)
            for name, mine in of.items()}  # fmt: skip


def _over_parts(rows: Sequence[ComparisonRow], reference: str, name: str, digits: Digits) -> str:
    """What a variant takes, or how it answers, in each part."""
    variant, runs, failed = rows[0].variant, sum(row.runs for row in rows), sum(row.failures.count for row in rows)
    failures = f"; {failed} of {counted(runs, 'run')} failed" if failed else ""
    if variant == reference:
        found, scale = [(row.where_words, row.measures[name].typical) for row in rows], digits.scales[name]
        said = ", ".join(f"{scale.with_unit(value)} {where}" for where, value in found if value is not None)
        return f"{_subject(variant, name)}, the reference, {_verb(name)} {said or 'nothing that is known'}{failures}."
    said = "; ".join(f"{_short(row.measures[name], name, digits)} {row.where_words}" for row in rows)
    return f"{_subject(variant, name)} against {reference}: {said}{failures}."


def _short(found: MeasureFound, name: str, digits: Digits) -> str:
    if found.ratio is None:
        return "not known"
    value, low, high = ratio_as_said(found.ratio, name)
    factor = f"{value:.{digits.ratios[name]}f}x"
    if low is None or high is None:
        return f"{factor} on few tasks" if found.over == "tasks" else f"{factor} in one launch"
    return f"{factor} ({found.answer})" if found.answer else factor


def named(row: ComparisonRow) -> str:
    """A row's variant, with the values of what is varied where the table has rows for these."""
    return f"{row.variant} {row.where_words}" if row.where_words else row.variant


def _subject(variant: str, name: str) -> str:
    return variant if name == TIME else f"{name} of {variant}"


def _verb(name: str) -> str:
    return "takes" if name == TIME else "is"


def _about(row: ComparisonRow, reference: str, name: str, digits: Digits) -> str:
    found, subject, verb = row.measures[name], _subject(named(row), name), _verb(name)
    if row.finished == 0:
        return f"{named(row)} has no run that finished"
    if found.typical is None:
        return f"{name} is not known of {named(row)}"
    value = digits.scales[name].with_unit(found.typical)
    if row.variant == reference:
        return f"{subject}, the reference, {verb} {value}"
    if found.ratio is None and found.tasks is not None:
        return f"{subject} {verb} {value}, which is no multiple of what {reference} has"
    if found.ratio is None:
        return f"{subject} {verb} {value}, with nothing of {reference} to pair it with"
    return f"{subject} {_against(found, found.ratio, reference, name, digits)}"


def _against(found: MeasureFound, ratio: RatioFound, reference: str, name: str, digits: Digits) -> str:
    is_time = name == TIME
    low, high = ratio.low_together, ratio.high_together
    said = _times_words(ratio, name, reference, digits)
    if low is None or high is None:
        where = "on these tasks, too few to say more" if found.over == "tasks" else "in the one launch there is"
        return f"was {said} {where}, which may be luck"
    if low == high and found.over == "tasks":
        return f"is {said} on each of these tasks, which says nothing of others"
    if found.answer == "same":
        return f"{'takes as long as' if is_time else 'is the same as that of'} {reference}, within {found.margin.words}"
    if found.answer == "unclear":
        open_ = "may be faster or slower than" if is_time else "may be more or less than that of"
        return f"{open_} {reference} ({_range(ratio, name, digits)}); {_needed(found)}"
    answer = f": {found.answer}" if found.answer and not is_time else ""
    return f"is {ratio_words(ratio, name, reference, digits)}{answer}"


def ratio_words(ratio: RatioFound, name: str, reference: str, digits: Digits) -> str:
    """A ratio to the reference with the table's interval, where there is one."""
    said = _times_words(ratio, name, reference, digits)
    return said if ratio.low_together is None else f"{said}, {_range(ratio, name, digits)}"


def _times_words(ratio: RatioFound, name: str, reference: str, digits: Digits) -> str:
    decimals = digits.ratios[name]
    if name == TIME:
        return speed_words(ratio.value, reference, decimals)
    return f"{ratio.value:.{decimals}f}x that of {reference}"


def _range(ratio: RatioFound, name: str, digits: Digits) -> str:
    """The table's interval in times."""
    _, low, high = ratio_as_said(ratio, name)
    decimals = digits.ratios[name]
    return f"95 % interval {low:.{decimals}f} to {high:.{decimals}f} times"


def _needed(found: MeasureFound) -> str:
    """What would tell: of scores tasks; of others so many rounds, as a range with its chance."""
    if found.over == "tasks":
        return "more tasks would be needed to tell"
    if found.more_rounds_low is None:
        return "very many more rounds would be needed to tell"
    if found.more_rounds_high is None:
        return f"{found.more_rounds_low} more rounds or very many would tell"
    return f"8 in 10 that {found.more_rounds_low} to {found.more_rounds_high} more rounds tell"


def _split_words(split: Split, digits: Digits) -> str:
    """Say what made the difference: the parts that are known, and a tenth of it or more, the largest first."""
    parts = [part for stage in split.stages or (split,) for part in _parts_of(stage, digits)]
    parts.append((split.fixed_s, "what comes beside the steps", "what comes beside the steps"))
    least = WORTH_NAMING * sum(abs(saved.value) for saved, _, _ in parts)
    said = sorted((part for part in parts if _is_known(part[0], least)), key=lambda part: -abs(part[0].value))
    return ", ".join(_part_words(saved.value, less, more, digits) for saved, less, more in said)


def _parts_of(split: Split | StageSplit, digits: Digits) -> list[tuple[Estimate, str, str]]:
    """Return what steps of one kind save, each with the words for less and for more."""
    stage = split.name if isinstance(split, StageSplit) else None
    kind = f"{stage} " if stage is not None else ""
    scale = digits.scales["step.time" if stage is None else PHASE_STEP_TIME + stage]
    steps = f"({split.steps:.3g} for {split.reference_steps:.3g})"
    step_s = f"({scale.words(split.step_s)} for {scale.with_unit(split.reference_step_s)})"
    return [
        (split.fewer_steps_s, f"fewer {kind}steps {steps}", f"more {kind}steps {steps}"),
        (split.faster_steps_s, f"faster {kind}steps {step_s}", f"slower {kind}steps {step_s}"),
    ]


def _part_words(saved_s: float, less: str, more: str, digits: Digits) -> str:
    return f"{digits.split.with_unit(abs(saved_s))} {f'less by {less}' if saved_s > 0 else f'more by {more}'}"


def _is_known(saved: Estimate, least: float) -> bool:
    """Whether a part is large enough to be named, and its interval does not hold 0."""
    if abs(saved.value) < max(least, 1e-12) or saved.low is None or saved.high is None:
        return False
    return saved.low > 0 or saved.high < 0
