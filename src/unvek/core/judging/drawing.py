"""Which outputs a judge is asked about, in which order, and which stands on which side: drawn, and balanced.

Of each two variants either stands left as often as right, on each page and over the judges; which does of which item is
drawn. Ids are drawn too: nothing in a page but the outputs tells what a question stands for.
"""

import secrets
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from itertools import combinations
from random import Random

from unvek.core.errors import InputError
from unvek.core.evidence.evidence import Evidence
from unvek.core.judging.outputs import Item, JudgedOutputs, item_of
from unvek.core.logbook.verdict_rows import PAIRS, POINTS, Question, Shown

USUAL_MOST, USUAL_AGAIN, USUAL_SAME = 40, 0.1, 0.05
ID_BYTES = 8
APART = 5  # questions at least, if there are so many, between a pair and the same pair again


@dataclass(frozen=True, slots=True, kw_only=True)
class Asking:
    """What a ballot is to ask.

    items: of how many items, drawn from all tasks alike; None for all. most: how many questions, but for those that
    come again. each_other: of any two variants, and not only of each with the reference. again: the share of pairs that
    come a second time, sides swapped; same: how many, as a share of the pairs, show one output twice.
    """

    asks: str = PAIRS
    items: int | None = None
    most: int = USUAL_MOST
    each_other: bool = False
    again: float = USUAL_AGAIN
    same: float = USUAL_SAME


@dataclass(frozen=True, slots=True, kw_only=True)
class Drawn:
    """The pages' questions, one list for each judge; `possible` is how many there could have been.

    alike: pairs that were drawn too and need not be asked, since both outputs are the same to the last bit.
    """

    pages: tuple[tuple[Question, ...], ...]
    possible: int
    alike: tuple[Question, ...]


Pair = tuple[str, str]


def draw_questions(
    evidence: Evidence, outputs: JudgedOutputs, asking: Asking, judges: int = 1, random: Random | None = None
) -> Drawn:
    """Draw what is asked; InputError where there is nothing to ask about."""
    random = random or Random(secrets.randbits(64))
    items = _some_items(items_of(evidence), asking.items, random)
    if asking.asks != PAIRS:
        return _alone(evidence, outputs, asking, items, judges, random)
    candidates = _candidates(evidence, outputs, asking.each_other, items)
    possible = sum(one[1].digest != one[2].digest for several in candidates.values() for one in several)
    if not candidates:
        raise InputError("there is nothing to hold against each other: no item has outputs of two variants that can "
                         "be shown (pictures, sounds or texts); make some with 'unvek run PLAN'")  # fmt: skip
    drawn = _balanced(candidates, asking.most, outputs, random)
    chosen = [one for one in drawn if not outputs.are_alike(*one[1:])]
    if not chosen:
        raise InputError("there is nothing to tell apart: in every item the outputs are the same to the last bit")
    turned = {pair: random.random() < 0.5 for pair in candidates}
    pages = []
    for page in range(judges):
        sided = _sided(chosen, turned, page, random)
        sided += _same_twice(sided, asking.same, random)
        pages.append(tuple(_ordered(sided, asking.again, random)))
    alike = tuple(Question(id=_new_id(), left=one[1], right=one[2]) for one in drawn if outputs.are_alike(*one[1:]))
    return Drawn(pages=tuple(pages), possible=possible, alike=alike)


def items_of(evidence: Evidence) -> list[Item]:
    """Return the items that have a run that counts, those of one task together, in the plan's order."""
    found = dict.fromkeys(item_of(row) for row in evidence.runs.rows)
    order = {task.name: place for place, task in enumerate(evidence.plan.tasks)}
    return sorted((item for item in found if item[0] in order), key=lambda item: order[item[0]])


def _some_items(items: Sequence[Item], count: int | None, random: Random) -> list[Item]:
    """Draw so many items, one of each task before a second one of any."""
    by_task: dict[str, list[Item]] = {}
    for item in items:
        by_task.setdefault(item[0], []).append(item)
    for several in by_task.values():
        random.shuffle(several)
    tasks = list(by_task.values())
    random.shuffle(tasks)
    rows = max(map(len, tasks), default=0)
    drawn = [several[row] for row in range(rows) for several in tasks if row < len(several)]
    return drawn[:count]


def _candidates(
    evidence: Evidence, outputs: JudgedOutputs, each_other: bool, items: Sequence[Item]
) -> dict[Pair, list[tuple[Item, Shown, Shown]]]:
    names = [variant.name for variant in evidence.variants]
    pairs = [
        (ours, theirs) for ours, theirs in combinations(names, 2) if each_other or evidence.reference in (ours, theirs)
    ]
    found: dict[Pair, list[tuple[Item, Shown, Shown]]] = {pair: [] for pair in pairs}
    for item in items:
        made = {name: of for name in names if (of := outputs.of(name, item)) is not None}
        for ours, theirs in pairs:
            if ours in made and theirs in made and made[ours][0] == made[theirs][0]:
                found[ours, theirs].append((item, made[ours][1], made[theirs][1]))
    return {pair: several for pair, several in found.items() if several}


Chosen = tuple[Pair, Shown, Shown]


def _balanced(
    candidates: dict[Pair, list[tuple[Item, Shown, Shown]]], most: int, outputs: JudgedOutputs, random: Random
) -> list[Chosen]:
    """Choose so many pairs that differ: each two variants as often as any, on items that were asked about least so far.

    Those that come up on the way and are alike are chosen besides.
    """
    left = {pair: list(several) for pair, several in candidates.items()}
    asked: Counter[object] = Counter()
    chosen: list[Chosen] = []
    order = list(left)
    random.shuffle(order)
    differing = 0
    while left and differing < most:
        for pair in [pair for pair in order if pair in left]:
            if differing == most:
                break
            # Tasks first, then items: it is over tasks that a finding holds or does not.
            item, ours, theirs = min(
                left[pair], key=lambda one: (asked[pair, one[0][0]], asked[one[0][0]], asked[one[0]])
            )
            left[pair].remove((item, ours, theirs))
            asked.update([(pair, item[0]), item[0], item])
            chosen.append((pair, ours, theirs))
            differing += not outputs.are_alike(ours, theirs)
            if not left[pair]:
                del left[pair]
    return chosen


def _sided(chosen: Iterable[Chosen], turned: dict[Pair, bool], page: int, random: Random) -> list[Question]:
    """Say which stands left: of each two variants either as often, and on the next judge's page the other way round."""
    by_pair: dict[Pair, list[Chosen]] = {}
    for one in chosen:
        by_pair.setdefault(one[0], []).append(one)
    questions = []
    for pair, several in by_pair.items():
        for place, (_, ours, theirs) in enumerate(several):
            swapped = (place + page + turned[pair]) % 2 == 1
            left, right = (theirs, ours) if swapped else (ours, theirs)
            questions.append(Question(id=_new_id(), left=left, right=right))
    random.shuffle(questions)
    return questions


def _same_twice(pairs: Sequence[Question], share: float, random: Random) -> list[Question]:
    """Return questions that show one output on both sides: what is called better there is noise."""
    shown = [side for question in pairs for side in question.sides]
    count = min(len(shown), _some(share, len(pairs)))
    return [Question(id=_new_id(), left=one, right=one) for one in random.sample(shown, count)]


def _ordered(questions: list[Question], again: float, random: Random) -> list[Question]:
    """Return the questions in an order that is drawn, a share of the pairs a second time with the sides swapped."""
    order = list(questions)
    random.shuffle(order)
    differing = [question for question in order if question.right != question.left]
    for first in random.sample(differing, min(len(differing), _some(again, len(differing)))):
        assert first.right is not None, "a pair has two sides"
        swapped = Question(id=_new_id(), left=first.right, right=first.left, again=first.id)
        at = order.index(first)
        places = [place for place in range(len(order) + 1) if abs(place - at) > APART] or [len(order)]
        order.insert(random.choice(places), swapped)
    return order


def _some(share: float, count: int) -> int:
    """Return how many a share of so many is: at least one, unless none is wanted."""
    return max(1, round(share * count)) if share > 0 and count else 0


def _alone(
    evidence: Evidence, outputs: JudgedOutputs, asking: Asking, items: Sequence[Item], judges: int, random: Random
) -> Drawn:
    """Draw questions about one output each, of all variants of an item or of none."""
    tasks = {task.name: task for task in evidence.plan.tasks}
    found: list[tuple[list[Shown], tuple[str, ...]]] = []
    for item in items:
        if asking.asks == POINTS and not tasks[item[0]].expect:
            continue
        made = [of[1] for variant in evidence.variants if (of := outputs.of(variant.name, item)) is not None]
        if made:
            found.append((made, tasks[item[0]].expect if asking.asks == POINTS else ()))
    possible = sum(len(made) for made, _ in found)
    if not possible:
        raise InputError("no task here says what it expects, so there is nothing to tick off: give one "
                         'expect = ["six petals", "one leaf"]' if asking.asks == POINTS else
                         "there is no output here that can be shown (a picture, a sound or a text)")  # fmt: skip
    chosen: list[tuple[Shown, tuple[str, ...]]] = []
    for made, things in found:
        if not chosen or len(chosen) + len(made) <= asking.most:
            chosen += [(one, things) for one in made]
    pages = []
    for _ in range(judges):
        order = [Question(id=_new_id(), left=one, things=things) for one, things in chosen]
        random.shuffle(order)
        for first in random.sample(order, min(len(order), _some(asking.again, len(order)))):
            order.insert(random.randrange(order.index(first) + 1, len(order) + 1), _again(first))
        pages.append(tuple(order))
    return Drawn(pages=tuple(pages), possible=possible, alike=())


def _again(first: Question) -> Question:
    return replace(first, id=_new_id(), again=first.id)


def _new_id() -> str:
    return secrets.token_hex(ID_BYTES)
