"""Answers taken in: held against the ballot that they answer, and kept as verdicts."""

from dataclasses import dataclass
from pathlib import Path

from unvek.core.errors import InputError
from unvek.core.judging.answers import OneAnswer, checked, read_answers
from unvek.core.logbook.inserting import now
from unvek.core.logbook.store import Logbook
from unvek.core.logbook.verdict_rows import (
    PERSON,
    UNNUMBERED,
    BallotRow,
    Question,
    VerdictRow,
    unasked,
    what_was_shown,
)
from unvek.core.plain_text import clean


@dataclass(frozen=True, slots=True, kw_only=True)
class TakenIn:
    """What a file of answers brought: how many verdicts are new, how many were known, how many are still open."""

    file: str
    judge: str
    new: int
    known: int
    open: int


def collect(logbook: Logbook, path: Path) -> TakenIn:
    """Take in one file; InputError where it is none, answers no ballot of this logbook, or contradicts itself."""
    answers = read_answers(path)
    ballot = logbook.ballot(answers.ballot)
    if ballot is None:
        raise InputError(f"{path.name} answers a ballot that is not of this logbook ({clean(answers.ballot, 40)}); "
                         "choose its own with --logbook")  # fmt: skip
    questions = {question.id: question for question in ballot.questions}
    checked(answers, ballot.asks, questions)
    judges = logbook.judges()
    before = [verdict for verdict in logbook.verdicts() if verdict.ballot == ballot.number]
    standing = {verdict.question: verdict for verdict in before if verdict.voided is None}
    # What was taken out stays out: the same answer, sent again, does not bring it back.
    said_before = {(verdict.question, str(verdict.answer)) for verdict in before}
    others = {judges[verdict.judge].name for verdict in standing.values()} - {answers.name}
    if others:
        raise InputError(f"{path.name}: this ballot was answered by {clean(', '.join(sorted(others)))} already, and is "
                         "for one judge; write another page with 'unvek judge ballot'")  # fmt: skip
    new = [one for one in answers.answers if (one.question, str(one.answer)) not in said_before]
    for one in new:
        if (earlier := standing.get(one.question)) is not None:
            raise InputError(f"{path.name}: {clean(answers.name)} has said {clean(str(earlier.answer), 80)} where this "
                             f"says {clean(str(one.answer), 80)}; if this is what was meant, take the other out first: "
                             f"unvek judge void {earlier.number} --why TEXT")  # fmt: skip
    if new:
        asked = sum(not one.unasked for one in standing.values()) + len(new)
        known = {one.question for one in before}
        _keep(logbook, ballot, answers.name, new, [one for one in ballot.alike_beside(asked) if one.id not in known])
    open_ = questions.keys() - standing.keys() - {one.question for one in new}
    return TakenIn(
        file=path.name, judge=answers.name, new=len(new), known=len(answers.answers) - len(new), open=len(open_)
    )  # fmt: skip


def _keep(logbook: Logbook, ballot: BallotRow, name: str, answers: list[OneAnswer], alike: list[Question]) -> None:
    judge = logbook.keep_judge(name, PERSON)
    said = {one.question: one for one in answers}
    asked = [
        VerdictRow(
            number=UNNUMBERED, id="", judge=judge.number, ballot=ballot.number, asks=ballot.asks, place=place,
            answer=said[question.id].answer, why=said[question.id].why, took_s=said[question.id].took_s,
            flips=said[question.id].flips, judged_at=now(), **what_was_shown(question),
        )
        for place, question in enumerate(ballot.questions, 1)
        if question.id in said
    ]  # fmt: skip
    beside = (unasked(question, judge.number, ballot.asks, now(), ballot.number) for question in alike)
    logbook.keep_verdicts([*asked, *beside])
