"""What would change the pick: another need, the doubt that matters most, and what would settle it."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np

from unvek.core.digits import column_scale
from unvek.core.findings.tradeoff.counts import FAILURE_MARGIN, AllCosts
from unvek.core.findings.tradeoff.found import BY_DOUBT, BY_MORE, BY_NEED, Change, Count, TradeoffRow
from unvek.core.findings.tradeoff.needs import FAILURE_SHARE, Need
from unvek.core.findings.tradeoff.pick import Case, Choice
from unvek.core.findings.tradeoff.wishes import merits_of
from unvek.core.measures.catalogue import TIME
from unvek.core.measures.definition import MORE
from unvek.core.stats.conclusions.conclusion import outlook
from unvek.core.stats.grouping import Floats
from unvek.core.units import counted, speed_words

SURE = 0.95  # of the draws leave the pick as it is: then nothing is said of a doubt
MOST_CHANGES = 4  # needs at which another takes over
MOST_MORE = 100  # times as many tasks or rounds: of more it is said that it will not be settled


def changes_of(
    case: Case, choice: Choice, needs: Sequence[Need], costs: AllCosts, counts: Sequence[Count]
) -> Iterator[Change]:
    """Yield what would make another variant the pick, or settle whether it is one."""
    yield from _other_needs(case, choice, counts)
    yield from _without_need(case, choice, needs)
    yield from _largest_doubt(case, choice, needs, costs)
    yield from _more_of(case, choice, needs)


# ---- needs ----


def _other_needs(case: Case, choice: Choice, counts: Sequence[Count]) -> Iterator[Change]:
    """On each count the bound that the pick is not known to keep, and who would be picked if it had to be kept."""
    pick = case.row(choice.variant)
    found = []
    for count in counts:
        kept = _kept(case, pick, count)
        if kept is None:
            continue
        better = [row for row in case.fitting if _is_known_better(case, row, pick, count)]
        other = case.chosen(better)
        if other is None or other.variant == choice.variant:
            continue
        reached = _kept(case, case.row(other.variant), count)
        assert reached is not None, "it keeps a better bound"
        sign = -1.0 if count.better == MORE else 1.0
        values = (row.values[count.measure] for row in case.rows)
        scale = column_scale(count.unit, ((value.typical, value.low, value.high) for value in values))
        here, there = (scale.with_unit(sign * value) for value in (kept, reached))
        more, known = ("over", "at least") if count.better == MORE else ("under", "at most")
        found.append(Change(
            by=BY_NEED, variant=other.variant, measure=count.measure, bound=sign * kept,
            text=f"If {count.measure} had to be {more} {here}, which {pick.variant} is not known to be, "
                 f"{other.variant} would be the pick ({known} {there}).",
        ))  # fmt: skip
    yield from found[:MOST_CHANGES]


def _is_known_better(case: Case, row: TradeoffRow, pick: TradeoffRow, count: Count) -> bool:
    """Whether it is known to keep a better bound than the pick, and seems better too: not its interval alone."""
    bound, kept = _kept(case, row, count), _kept(case, pick, count)
    middle, of_pick = row.values[count.measure].typical, pick.values[count.measure].typical
    if bound is None or kept is None or middle is None or of_pick is None or not bound < kept:
        return False
    sign = -1.0 if count.better == MORE else 1.0
    share = FAILURE_MARGIN if count.measure == FAILURE_SHARE else case.evidence.margin_share(count.measure)
    return sign * middle < sign * of_pick - share * abs(of_pick)


def _kept(case: Case, row: TradeoffRow, count: Count) -> float | None:
    """The bound that a variant is known to keep, less is better: the worse end of its interval; of memory every run's.

    As a need asks for it (needs.py), so that what is said of another need is so where it is given.
    """
    value = row.values[count.measure]
    if count.unit == "B" and count.better != MORE:
        evidence = case.evidence
        known = evidence.values.of(count.measure)[evidence.runs.of_variant(row.variant)]
        known = known[np.isfinite(known)]
        return float(known.max()) if len(known) else None
    end = value.low if count.better == MORE else value.high
    return None if end is None else -end if count.better == MORE else end


def _without_need(case: Case, choice: Choice, needs: Sequence[Need]) -> Iterator[Change]:
    """Who would be the pick without one of the needs."""
    for need in needs:
        rows = tuple(_forgiven(row, need.text) for row in case.rows)
        freer = replace(case, rows=rows)
        other = freer.chosen(freer.fitting)
        if other is not None and other.variant != choice.variant and not other.is_reference_kept:
            found = case.evidence.ratios_between(TIME, {"": (other.variant, choice.variant)}).get("")
            gain = f", {speed_words(found.value, choice.variant)}" if found is not None and case.is_of_speed else ""
            yield Change(by=BY_NEED, variant=other.variant, measure=need.measure, bound=None,
                         text=f"Without the need {need.text}, {other.variant} would be the pick{gain}.")  # fmt: skip


def _forgiven(row: TradeoffRow, need: str) -> TradeoffRow:
    kept = [(text, why) for text, why in zip(row.not_shown, row.why_not_shown, strict=True) if text != need]
    return replace(
        row, unmet=tuple(text for text in row.unmet if text != need), not_shown=tuple(text for text, _ in kept),
        why_not_shown=tuple(why for _, why in kept),
    )  # fmt: skip


# ---- doubts ----


def _largest_doubt(case: Case, choice: Choice, needs: Sequence[Need], costs: AllCosts) -> Iterator[Change]:
    """The measure that would most often make another the pick, were all others just what they seem."""
    if choice.is_reference_kept:  # since nothing is shown to be better: that all of it is open is said by then
        return
    stays = {}
    counting = {*(wish.measure for wish in case.wishes), *(need.measure for need in needs if need.is_of_middle)}
    for name in (name for name in costs.names if name in counting):
        shares = _picked_by(case, needs, costs, name)
        if shares is not None:
            stays[name] = shares
    if not stays:
        return
    place = case.names.index(choice.variant)
    name, shares = min(stays.items(), key=lambda one: one[1][place])
    if shares[place] >= SURE:
        return
    rival = int(np.argmax(np.where(np.arange(len(shares)) == place, -1.0, shares)))
    others = 10 * (1 - shares[place])
    how_often = "in under 1 of 10 cases" if others < 1 else f"in about {round(others)} of 10 cases"
    yield Change(
        by=BY_DOUBT, variant=case.names[rival], measure=name, bound=None,
        text=f"What matters most is how well {name} is known: by what it may truly be another would be the best "
             f"{how_often}, mostly {case.names[rival]}.",
    )  # fmt: skip


def _picked_by(case: Case, needs: Sequence[Need], costs: AllCosts, name: str) -> Floats | None:
    """Return (n,) how often each is the best if one measure alone is as it is drawn; None where nothing is known."""
    drawn = costs.drawn_alone(name)
    if not np.all(np.isfinite(drawn[:, :, costs.names.index(name)]).any(axis=0)):
        return None
    places, weights = zip(*((costs.names.index(wish.measure), wish.weight) for wish in case.wishes), strict=True)
    merits = merits_of(replace(costs.costs, drawn=drawn), places, weights).drawn
    allowed = np.tile([_may_be_picked(case, row_name, needs, name) for row_name in case.names], (len(merits), 1))
    for need in needs:
        if need.measure == name and need.is_of_middle:
            allowed &= costs.keeps(need.measure, need.bound, need.at_most)
    ranked = np.where(allowed & np.isfinite(merits), merits, -np.inf)
    known = np.isfinite(ranked).any(axis=1)
    if not np.any(known):
        return None
    best = np.argmax(ranked[known], axis=1)
    return np.bincount(best, minlength=len(case.names)) / len(best)


def _may_be_picked(case: Case, name: str, needs: Sequence[Need], but_for: str) -> bool:
    """Whether a variant meets the needs, those of one measure left aside, as far as is known, and stays close."""
    row = next((row for row in case.judged if row.variant == name), None)
    if row is None or not case.is_close(row) or name in case.held_against:
        return False
    of_others = {need.text for need in needs if need.measure != but_for or not need.is_of_middle}
    return not of_others & {*row.unmet, *row.not_shown}


# ---- more of the same ----


def _more_of(case: Case, choice: Choice, needs: Sequence[Need]) -> Iterator[Change]:
    """How many more rounds, tasks or verdicts would tell the pick from what may be better."""
    evidence = case.evidence
    rivals = choice.others[:1] if choice.is_reference_kept else choice.ties
    if case.is_of_speed and rivals:
        rival = rivals[0]
        ratio = evidence.ratios_between(TIME, {"": (rival, choice.variant)}).get("")
        ahead = outlook(ratio, evidence.margin_share(TIME)) if ratio is not None else None
        if ahead is not None and ahead.high is not None:
            yield Change(by=BY_MORE, variant=rival, measure=TIME, bound=None,
                         text=f"8 in 10 that {ahead.low} to {ahead.high} more rounds tell {choice.variant} from "
                              f"{rival}.")  # fmt: skip
    for row in map(case.row, case.undecided(choice)):
        for need in (one for one in needs if one.text in row.not_shown):
            yield from _to_settle(case, row, need)


def _to_settle(case: Case, row: TradeoffRow, need: Need) -> Iterator[Change]:
    """By how far a need's bound lies off, how many tasks or rounds would bring the interval to this side of it."""
    evidence = case.evidence
    mine = evidence.runs.of_variant(row.variant)
    if not need.is_of_middle:
        return
    found = evidence.location(need.measure, mine)
    if found is None or found.low is None or found.high is None or found.value == need.bound:
        return
    reach = found.value - found.low if found.value > need.bound else found.high - found.value
    times = (reach / abs(found.value - need.bound)) ** 2
    is_judged = evidence.values.is_judged(need.measure)
    of_tasks = evidence.values.is_score(need.measure)
    known = mine & np.isfinite(evidence.values.of(need.measure))
    now = len(np.unique((evidence.runs.task_codes if of_tasks else evidence.runs.round)[known]))
    what = "judged task" if is_judged else "task" if of_tasks else "round"
    is_met = need.keeps(found.value)
    if times > MOST_MORE:
        said = f"lies too near the bound to be settled by more {what}s"
    else:
        said = f"would be settled by about {counted(math.ceil(now * times), what)} (there are {now})"
    yield Change(by=BY_MORE, variant=row.variant, measure=need.measure, bound=need.bound,
                 text=f"Whether {row.variant} keeps {need.text} (it {'does' if is_met else 'does not'} in the middle) "
                      f"{said}, if it stays where it is.")  # fmt: skip
