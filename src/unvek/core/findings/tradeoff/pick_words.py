"""The pick in words: which it is and why, what comes next, and why there is none."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from unvek.core.digits import Scale, column_scale
from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.tradeoff.found import CLOSE_DRIFT, TradeoffRow
from unvek.core.findings.tradeoff.pick import Case, Choice
from unvek.core.measures.catalogue import TIME
from unvek.core.stats.over_launches.launches import Ratio
from unvek.core.units import drift_words, ratio_decimals, speed_words


@dataclass(frozen=True, slots=True, kw_only=True)
class Pick:
    """The variant, if there is one, and why; those that may be as good as it or better; the next after it."""

    variant: str | None
    because: str
    ties: tuple[str, ...] = ()
    runner_up: str | None = None


def pick_of(case: Case) -> Pick:
    """Return the pick, in words."""
    evidence = case.evidence
    if not case.fitting:
        return Pick(variant=None, because=_none_fits(case.rows))
    choice = case.chosen(case.fitting)
    if choice is None:
        return _least_far(case)
    if choice.is_reference_kept:
        nearest = choice.others[0]
        return Pick(variant=choice.variant, because=_nothing_clear(case, nearest), runner_up=nearest)
    because = _because(case, choice)
    if choice.variant != evidence.reference and not case.is_better(choice.variant, evidence.reference):
        better = "faster" if case.is_of_speed else "better in what is wished for"
        because += f" It is not shown to be {better} than {evidence.reference}, but beats it on the other counts."
    if choice.after is not None and choice.after != evidence.reference:
        because += f" Next comes {choice.after}, {_behind(case, choice.after, choice.variant)}."
    if choice.variant in case.held_against:
        because += f" It is no better than its comparison: {case.held_against[choice.variant]}"
    because += "".join(f" {words}" for words in (*_passed_over(case, choice), *_undecided(case, choice)))
    return Pick(variant=choice.variant, because=because, ties=choice.ties, runner_up=choice.after)


def _least_far(case: Case) -> Pick:
    """The one that drifts the least, where none of those that meet the needs stays close."""
    evidence, among = case.evidence, case.among(case.fitting)
    if case.is_judged:
        return Pick(
            variant=None, because="Of none that meets the needs is it known how good it is in what is wished for."
        )
    lead = f"None that meets the needs stays close to {evidence.reference}"
    drifting = [row for row in among if row.drift is not None]
    if not drifting:
        worse = f"each is worse in {evidence.quality}. A need on it says how much it may be"
        return Pick(variant=None, because=f"{lead}: {worse}.")
    nearest = min(drifting, key=lambda row: row.drift or 0.0)
    drift = f"{nearest.variant} drifts the least ({drift_words(nearest.drift or 0.0)} of the way to another seed)"
    return Pick(variant=nearest.variant, because=f"{lead}; {drift}.")


def _nothing_clear(case: Case, nearest: str) -> str:
    reference = case.evidence.reference
    if not case.is_of_speed:
        said = f"Nothing that qualifies is shown to be better than {reference} in what is wished for, so it stays"
        return f"{said}: {nearest} comes nearest ({_margins(case, nearest, reference)})."
    ratio, said = case.evidence.ratio_to_reference(TIME, nearest), "nothing pairs them"
    if ratio is not None and ratio.low_together is not None and ratio.high_together is not None:
        low, high = 1 / ratio.high_together, 1 / ratio.low_together
        decimals = ratio_decimals(low, high)
        said = f"{1 / ratio.value:.{decimals}f}x, 95 % interval {low:.{decimals}f} to {high:.{decimals}f}"
    elif ratio is not None:
        said = "there is one launch"
    words = f"Nothing that qualifies is clearly faster than {reference}, so it stays: {nearest} comes nearest ({said})."
    kept = Choice(variant=reference, others=(), ties=())
    return words + "".join(f" {more}" for more in (*_passed_over(case, kept), *_undecided(case, kept)))


def _passed_over(case: Case, choice: Choice) -> Iterator[str]:
    """Say of each that seems better but is held back what is held against it."""
    for row in case.among(case.fitting):
        name = row.variant
        is_ahead = name in case.held_against and name != choice.variant and case.is_close(row)
        if is_ahead and choice.variant not in case.held_against and case.merit(name) > case.merit(choice.variant):
            better = "faster" if case.is_of_speed else "better"
            yield f"{name} seems {better}, but: {case.held_against[name]}"


def _undecided(case: Case, choice: Choice) -> Iterator[str]:
    """Say which may be better, if they meet what they are not shown to meet."""
    for name in case.undecided(choice):
        row = case.row(name)
        better = "faster" if case.is_of_speed else "better"
        yield f"{name} may be {better}, if it meets {named(row.not_shown)}, which is not shown."


def _behind(case: Case, name: str, best: str) -> str:
    if not case.is_of_speed:
        return f"{_margins(case, best, name)} behind"
    ratio: Ratio | None = case.evidence.ratios_between(TIME, {name: (name, best)}).get(name)
    return "with nothing to pair it with" if ratio is None else speed_words(ratio.value, best)


def _margins(case: Case, better: str, other: str) -> str:
    apart = case.merit(better) - case.merit(other)
    return f"{apart:.2g} margin{'' if f'{apart:.2g}' == '1' else 's'}"


def _because(case: Case, choice: Choice) -> str:
    evidence, row = case.evidence, case.row(choice.variant)
    bound = ""
    if not case.is_judged and row.drift is not None:
        bound = f" that stays close to {evidence.reference}"
    elif not case.is_judged and evidence.quality in row.values:
        bound = f" that is not shown to be worse in {evidence.quality}"
    among = "on the frontier" if row.on_frontier else "of those that meet the needs"
    what = "only one" if not choice.others else "fastest" if case.is_of_speed else f"best in {_wishes(case)}"
    said = f"{row.variant} is the {what} {among}{bound}"
    facts = list(_facts(case, row))
    said += (": " + ", ".join(facts) if facts else "") + "."
    worse = "slower" if case.is_of_speed else "less good"
    return f"{said} A toss-up with {named(choice.ties)}: not shown to be {worse}." if choice.ties else said


def _wishes(case: Case) -> str:
    """What is wished for; with weights where they differ."""
    weights = {wish.weight for wish in case.wishes}
    return named([
        wish.measure if len(weights) == 1 else f"{wish.measure} (weight {wish.weight:g})" for wish in case.wishes
    ])  # fmt: skip


def _facts(case: Case, row: TradeoffRow) -> Iterator[str]:
    evidence = case.evidence
    ratio = evidence.ratio_to_reference(TIME, row.variant)
    if ratio is not None:
        yield f"{speed_words(ratio.value)} against {evidence.reference}"
    wished = [wish.measure for wish in case.wishes if wish.measure != TIME]
    for name in dict.fromkeys(filter(None, (evidence.quality, *wished))):
        found = row.values.get(name)
        scale = _scale(evidence, case.rows, name)
        if found is not None and found.typical is not None and scale is not None:
            yield f"{name} {scale.with_unit(found.typical)}"
    if row.drift is not None:
        yield _drift(row)


def _scale(evidence: Evidence, rows: Sequence[TradeoffRow], name: str) -> Scale | None:
    """With which unit and how many decimals a measure is read in the table."""
    found = [row.values[name] for row in rows if name in row.values]
    if not found:
        return None
    return column_scale(evidence.values.measure(name).unit, ((one.typical, one.low, one.high) for one in found))


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
        words = [f"not met by {named(failing)}" if failing else "", f"not shown of {named(unsure)}" if unsure else ""]
        said.append(f"{need} is {' and '.join(word for word in words if word)}")
    return f"No variant is known to meet every need: {'; '.join(said)}."


def named(names: Sequence[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
