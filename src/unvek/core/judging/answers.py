"""Answers as a page saved them: somebody's file, taken for what it says and nothing more.

Everything in it is bounded and checked before it is believed: another's ballot, an answer that no question has, numbers
that can't be, texts of any length. Texts are kept as they are and cleaned wherever they are shown.
"""

from collections.abc import Mapping
from pathlib import Path
from typing import Annotated

import msgspec
from msgspec import Meta, Struct

from unvek.core.errors import InputError
from unvek.core.held_folder import read_plain
from unvek.core.logbook.verdict_rows import (
    MARKS,
    MOST_MARK,
    PAIR_ANSWERS,
    PAIRS,
    POINT_ANSWERS,
    POINTS,
    Question,
    is_answer,
)
from unvek.core.plain_text import clean

MOST_BYTES = 8 * 2**20
FORMAT, KIND = 1, "answers"
LONGEST_WHY, LONGEST_NAME = 4000, 100
LONGEST_S, MOST_FLIPS = 7 * 86_400.0, 1_000_000


class OneAnswer(Struct, forbid_unknown_fields=True, frozen=True, kw_only=True):
    """What was said of one question, as the page saves it."""

    question: Annotated[str, Meta(max_length=64)]
    answer: str | Annotated[int, Meta(ge=0, le=MOST_MARK)] | dict[str, str]
    why: Annotated[str, Meta(max_length=LONGEST_WHY)] = ""
    took_s: Annotated[float, Meta(ge=0, le=LONGEST_S)] | None = None
    flips: Annotated[int, Meta(ge=0, le=MOST_FLIPS)] | None = None


class Answers(Struct, forbid_unknown_fields=True, frozen=True, kw_only=True):
    """A file of answers."""

    unvek: int
    kind: str
    ballot: Annotated[str, Meta(max_length=64)]
    judge: Annotated[str, Meta(max_length=LONGEST_NAME)]
    answers: Annotated[tuple[OneAnswer, ...], Meta(max_length=10_000)]

    @property
    def name(self) -> str:
        return " ".join(self.judge.split())


def read_answers(path: Path) -> Answers:
    """Return a file of answers; InputError where it can't be read or is none."""
    try:
        data = read_plain(path, MOST_BYTES + 1)
    except OSError as error:
        raise InputError(f"{path} can't be read: {error.strerror}") from error
    if len(data) > MOST_BYTES:
        raise InputError(f"{path.name} has more than {MOST_BYTES // 2**20} MiB: no page of ours saves so much")
    try:
        found = msgspec.json.decode(data, type=Answers)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
        said = str(error).replace("msgspec", "")
        raise InputError(f"{path.name} holds no answers of a ballot: {clean(said, 200)}") from error
    if found.kind != KIND or found.unvek != FORMAT:
        raise InputError(f"{path.name} holds no answers of a ballot that this Unvek knows")
    if not found.name:
        raise InputError(f"{path.name} says nobody's name: the judge types it on the page, at the beginning or the end")
    return found


def checked(answers: Answers, asks: str, questions: Mapping[str, Question]) -> None:
    """Raise InputError where an answer is to no question of the ballot, is given twice, or can't be one."""
    seen: set[str] = set()
    for one in answers.answers:
        which = f"{answers.name!r} answers {one.question!r}"
        if one.question not in questions:
            raise InputError(f"{clean(which)}, which this ballot does not ask")
        if one.question in seen:
            raise InputError(f"{clean(which)} twice")
        seen.add(one.question)
        if not is_answer(asks, one.answer, questions[one.question].things):
            wanted = {
                PAIRS: f"one of {', '.join(PAIR_ANSWERS)}",
                POINTS: f"of each thing one of {', '.join(POINT_ANSWERS)}",
                MARKS: f"a whole number from 0 to {MOST_MARK}",
            }[asks]
            raise InputError(f"{clean(which)} with {clean(str(one.answer), 80)}; wanted {wanted}")
