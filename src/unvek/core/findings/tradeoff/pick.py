"""Which variant to pick: the fastest that meets the needs and stays close, if it is known to be faster at all."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from unvek.core.digits import Scale, column_scale
from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.tradeoff.found import CLOSE_DRIFT, TradeoffRow
from unvek.core.measures.catalogue import TIME
from unvek.core.measures.definition import MORE
from unvek.core.stats.conclusions.conclusion import may_be_faster
from unvek.core.stats.over_launches.launches import Ratio
from unvek.core.units import drift_words, ratio_decimals, speed_words

HARDLY = 0.05  # of a probability


@dataclass(frozen=True, slots=True, kw_only=True)
class Pick:
    """The variant, if there is one, and why; those that may be as fast as it or faster; the next after it."""

    variant: str | None
    because: str
    ties: tuple[str, ...] = ()
    runner_up: str | None = None


def pick_of(evidence: Evidence, rows: Sequence[TradeoffRow], is_judged_by_need: bool) -> Pick:
    """Return the pick. is_judged_by_need: whether a need speaks of the quality, so that drift does not matter."""
    judged = [row for row in rows if not row.not_judged]
    fitting = [row for row in judged if not (row.unmet or row.not_shown)]
    if not fitting:
        return Pick(variant=None, because=_none_fits(rows))
    among = [row for row in fitting if row.on_frontier] or fitting
    close = [row for row in among if is_judged_by_need or _is_close(evidence, row)]
    if not close:
        lead = f"None that meets the needs stays close to {evidence.reference}"
        drifting = [row for row in among if row.drift is not None]
        if not drifting:
            worse = f"each is worse in {evidence.quality}. A need on it says how much it may be"
            return Pick(variant=None, because=f"{lead}: {worse}.")
        nearest = min(drifting, key=lambda row: row.drift or 0.0)
        drift = f"{nearest.variant} drifts the least ({drift_words(nearest.drift or 0.0)} of the way to another seed)"
        return Pick(variant=nearest.variant, because=f"{lead}; {drift}.")
    best = min(close, key=lambda row: _log_time(evidence, row.variant)).variant
    others = [row for row in fitting if row.variant != best and (is_judged_by_need or _is_close(evidence, row))]
    others.sort(key=lambda row: _log_time(evidence, row.variant))
    names = [row.variant for row in others]
    if evidence.reference in (best, *names) and not _is_clearly_beaten(evidence, rows):
        rival = next((name for name in (best, *names) if name != evidence.reference), None)
        if rival is not None and not _is_faster(evidence, evidence.ratio_to_reference(TIME, best)):
            because = _nothing_clear(evidence, rival, evidence.ratio_to_reference(TIME, rival))
            return Pick(variant=evidence.reference, because=because, runner_up=rival)
    found = evidence.ratios_between(TIME, {name: (name, best) for name in names})
    margin = evidence.margin_share(TIME)
    ties = tuple(name for name in names if may_be_faster(found.get(name), margin))
    after = next((name for name in names if name not in ties), None)
    because = _because(evidence, rows, best, is_judged_by_need, ties, is_only=not names)
    against = evidence.ratio_to_reference(TIME, best)
    if against is not None and not _is_faster(evidence, against):
        because += f" It is not shown to be faster than {evidence.reference}, but beats it on the other counts."
    if after is not None and after != evidence.reference:
        because += f" Next comes {after}, {speed_words(found[after].value, best)}."
    return Pick(variant=best, because=because, ties=ties, runner_up=after)


def _is_close(evidence: Evidence, row: TradeoffRow) -> bool:
    """Whether a variant's outputs are near enough to the reference's: by their drift, else not shown to be worse."""
    if row.drift is not None:
        return row.drift < CLOSE_DRIFT
    quality = evidence.quality
    ratio = evidence.ratio_to_reference(quality, row.variant) if quality is not None else None
    if quality is None or ratio is None or ratio.low_together is None or ratio.high_together is None:
        return True
    margin = evidence.margin_share(quality)
    more_is_better = evidence.values.measure(quality).better == MORE
    return not (ratio.high_together < 1 - margin if more_is_better else ratio.low_together > 1 + margin)


def _is_clearly_beaten(evidence: Evidence, rows: Sequence[TradeoffRow]) -> bool:
    """Whether the reference has hardly a place on the frontier: as fast as another, say, that takes half the memory."""
    probability = next((row.probability for row in rows if row.variant == evidence.reference), None)
    return probability is not None and probability < HARDLY


def _log_time(evidence: Evidence, name: str) -> float:
    """By the paired ratio to the reference, as a comparison has it; last where there is none."""
    if name == evidence.reference:
        return 0.0
    ratio = evidence.ratio_to_reference(TIME, name)
    return math.log(ratio.value) if ratio is not None else math.inf


def _is_faster(evidence: Evidence, ratio: Ratio | None) -> bool:
    """Whether a comparison calls it faster: the table's interval lies below 1, and not within the margin."""
    if ratio is None or ratio.high_together is None or ratio.low_together is None:
        return False
    return ratio.high_together < 1 and ratio.low_together < 1 - evidence.margin_share(TIME)


def _nothing_clear(evidence: Evidence, nearest: str, ratio: Ratio | None) -> str:
    said = "nothing pairs them"
    if ratio is not None and ratio.low_together is not None and ratio.high_together is not None:
        low, high = 1 / ratio.high_together, 1 / ratio.low_together
        decimals = ratio_decimals(low, high)
        said = f"{1 / ratio.value:.{decimals}f}x, 95 % interval {low:.{decimals}f} to {high:.{decimals}f}"
    elif ratio is not None:
        said = "there is one launch"
    return (f"Nothing that qualifies is clearly faster than {evidence.reference}, so it stays: {nearest} comes nearest "
            f"({said}).")  # fmt: skip


def _because(
    evidence: Evidence, rows: Sequence[TradeoffRow], pick: str, is_judged_by_need: bool, ties: Sequence[str],
    is_only: bool,
) -> str:  # fmt: skip
    row = next(row for row in rows if row.variant == pick)
    bound = ""
    if not is_judged_by_need and row.drift is not None:
        bound = f" that stays close to {evidence.reference}"
    elif not is_judged_by_need and evidence.quality in row.values:
        bound = f" that is not shown to be worse in {evidence.quality}"
    among = "on the frontier" if row.on_frontier else "of those that meet the needs"
    lead = f"{row.variant} is the {'only one' if is_only else 'fastest'} {among}{bound}"
    facts = []
    ratio = evidence.ratio_to_reference(TIME, row.variant)
    if ratio is not None:
        facts.append(f"{speed_words(ratio.value)} against {evidence.reference}")
    quality = evidence.quality
    scale = _quality_scale(evidence, rows)
    if quality and scale is not None and row.values.get(quality) and (value := row.values[quality].typical) is not None:
        facts.append(f"{quality} {scale.with_unit(value)}")
    if row.drift is not None:
        facts.append(_drift(row))
    said = lead + (": " + ", ".join(facts) if facts else "") + "."
    return f"{said} A toss-up with {_and(ties)}: not shown to be slower." if ties else said


def _quality_scale(evidence: Evidence, rows: Sequence[TradeoffRow]) -> Scale | None:
    """With how many decimals the plan's quality is read in the table."""
    quality = evidence.quality
    found = [row.values[quality] for row in rows if quality in row.values] if quality is not None else []
    if quality is None or not found:
        return None
    unit = evidence.values.measure(quality).unit
    return column_scale(unit, ((one.typical, one.low, one.high) for one in found))


def _drift(row: TradeoffRow) -> str:
    said = f"{drift_words(row.drift or 0.0)} of the way to another seed"
    if row.drift_low is not None and row.drift_high is not None and row.drift_high > CLOSE_DRIFT:
        said += f" (it may be {drift_words(max(0.0, row.drift_low))} to {drift_words(row.drift_high)})"
    return said


def _none_fits(rows: Sequence[TradeoffRow]) -> str:
    """Why there is no pick: of each need who does not meet it, and who is not shown to."""
    said = [f"{row.variant} could not be judged ({'; '.join(row.not_judged)})" for row in rows if row.not_judged]
    for need in dict.fromkeys(need for row in rows for need in (*row.unmet, *row.not_shown)):
        failing = [row.variant for row in rows if need in row.unmet]
        unsure = [
            f"{row.variant} ({why})"
            for row in rows
            for text, why in zip(row.not_shown, row.why_not_shown, strict=True)
            if text == need
        ]
        words = [f"not met by {_and(failing)}" if failing else "", f"not shown of {_and(unsure)}" if unsure else ""]
        said.append(f"{need} is {' and '.join(word for word in words if word)}")
    return f"No variant is known to meet every need: {'; '.join(said)}."


def _and(names: Sequence[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
