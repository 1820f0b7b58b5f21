"""Who judges, and how far they can be believed: with themselves, with each other, and a model with people."""

from collections.abc import Mapping, Sequence
from statistics import median

import numpy as np

from unvek.core.findings.tally.counting import TASKS, Said, cluster_of
from unvek.core.findings.tally.found import AgainstPeople, Agreement, JudgeTold
from unvek.core.findings.tally.group import share_of
from unvek.core.logbook.verdict_rows import EVEN, NEITHER, PAIRS
from unvek.core.stats.judged.agreement import alpha
from unvek.core.stats.judged.ratings import clusters_of

NEAR_MARKS = 10  # within which two marks of one output agree
Unit = tuple[object, ...]


def judges_told(said: Sequence[Said]) -> tuple[JudgeTold, ...]:
    by_judge: dict[int, list[Said]] = {}
    for one in said:
        by_judge.setdefault(one.judge.number, []).append(one)
    return tuple(_judge(theirs) for _, theirs in sorted(by_judge.items()))


def _judge(said: Sequence[Said]) -> JudgeTold:
    judge = said[0].judge
    said = [one for one in said if not one.verdict.unasked]
    readable = [one for one in said if one.verdict.answer is not None]
    by_question = {one.verdict.question: one for one in readable}
    again = [
        (first, one)
        for one in readable
        if one.verdict.again is not None and (first := by_question.get(one.verdict.again)) is not None
    ]
    twice = [one for one in readable if one.verdict.asks == PAIRS and one.is_of_one_output]
    times_s = [one.verdict.took_s for one in said if one.verdict.took_s is not None]
    usage: dict[str, float] = {}
    for one in said:
        for name, value in one.verdict.usage.items():
            if isinstance(value, int | float):
                usage[name] = usage.get(name, 0) + value
    return JudgeTold(
        judge=judge.name, sort=judge.sort, simulated=judge.simulated, verdicts=len(readable),
        unreadable=len(said) - len(readable), doubted=sum(bool(one.verdict.doubts) for one in readable),
        self_agreement=share_of(sum(map(_agree, *zip(*again, strict=True))) if again else 0, len(again)),
        steadiness=share_of(sum(one.verdict.answer in (EVEN, NEITHER) for one in twice), len(twice)),
        took_s=median(times_s) if times_s else None, usage=usage,
    )  # fmt: skip


def _agree(first: Said, again: Said) -> bool:
    """Whether the same was said of the same outputs: of a pair with the sides swapped, the other side."""
    ours, theirs = first.verdict.answer, again.verdict.answer
    if first.verdict.asks == PAIRS:
        swapped = first.verdict.left_run != again.verdict.left_run
        return first.said_left == (-again.said_left if swapped else again.said_left)
    if isinstance(ours, int) and isinstance(theirs, int):
        return abs(ours - theirs) <= NEAR_MARKS
    return bool(ours == theirs)


def on_pairs(said: Sequence[Said]) -> Mapping[int, Mapping[Unit, float]]:
    """Return by judge what they say of each pair, in one order of the two variants: 1 won, 0.5 even, 0 lost."""
    found: dict[int, dict[Unit, list[float]]] = {}
    for one in said:
        if one.is_of_two and not one.verdict.unasked:
            assert one.right is not None, "it is of two"
            turned = one.left.variant > one.right.variant
            names = sorted((one.left.variant, one.right.variant))
            won = (1 + (-one.said_left if turned else one.said_left)) / 2
            found.setdefault(one.judge.number, {}).setdefault((one.item, *names), []).append(won)
    return {
        judge: {unit: sum(values) / len(values) for unit, values in units.items()} for judge, units in found.items()
    }


def agreement(said: Sequence[Said]) -> Agreement | None:
    """Return how far judges agree on pairs that several judged; None where none did."""
    return _alpha(list(on_pairs(said).values()), cluster_of(said)[0])


def _alpha(judges: Sequence[Mapping[Unit, float]], over: str) -> Agreement | None:
    rows = [(unit, value) for units in judges for unit, value in units.items()]
    if len(judges) < 2 or not rows:
        return None
    # Which of the two comes first is our own doing: each pair stands there in both orders, so that it is no agreement
    # by chance where one variant always wins.
    both = [*rows, *(((*unit, "turned"), 1 - value) for unit, value in rows)]
    units = clusters_of([unit for unit, _ in both])
    items = [unit[0] for unit, _ in both]
    clusters = clusters_of([item[0] if over == TASKS and isinstance(item, tuple) else item for item in items])
    found = alpha(units, np.array([value for _, value in both]), clusters)
    if found is None:
        return None
    shared = int(np.count_nonzero(np.bincount(clusters_of([unit for unit, _ in rows])) > 1))
    return Agreement(alpha=found.value, low=found.low, high=found.high, pairs=shared)


def against_people(theirs: Sequence[Said], people: Sequence[Said]) -> AgainstPeople | None:
    """Return how a model agrees with people on the pairs that both judged; None where there are none."""
    model = next(iter(on_pairs(theirs).values()), {})
    of_people: dict[Unit, list[float]] = {}
    for units in on_pairs(people).values():
        for unit, value in units.items():
            of_people.setdefault(unit, []).append(value)
    both = {unit: sum(values) / len(values) for unit, values in of_people.items() if unit in model}
    if not both:
        return None
    same = sum(np.sign(value - 0.5) == np.sign(model[unit] - 0.5) for unit, value in both.items())
    return AgainstPeople(
        same=share_of(int(same), len(both)),
        agreement=_alpha([both, {unit: model[unit] for unit in both}], cluster_of(people)[0]),
    )
