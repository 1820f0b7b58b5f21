"""The rows of what judges are asked and say, as frozen values, in the manner of rows.py."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from typing import Any

from unvek.core.logbook.rows import KEY, TEXT, reference

# What is asked of a judge, and which sort a judge is.
PAIRS, POINTS, MARKS = "pairs", "points", "marks"
ASKED = (PAIRS, POINTS, MARKS)
PERSON, MODEL, PROGRAM = "person", "model", "program"
# What may be said of a pair, and of one thing that a task expects.
LEFT, RIGHT, EVEN, NEITHER = "left", "right", "even", "neither"
PAIR_ANSWERS = (LEFT, RIGHT, EVEN, NEITHER)
THERE, PARTLY, MISSING, UNSURE = "there", "partly", "missing", "unsure"
POINT_ANSWERS = (THERE, PARTLY, MISSING, UNSURE)
MOST_MARK = 100
UNNUMBERED = 0  # of a row that gets its number when it is kept


@dataclass(frozen=True, slots=True, kw_only=True)
class Shown:
    """The output of a run as a judge is shown it: the digest says which output it was."""

    run: int
    digest: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Question:
    """What is asked about one output, or about two of one item.

    again: the question whose pair this one has with its sides swapped. things: what the task expected when it was
    asked. Nothing in an id tells what it stands for.
    """

    id: str
    left: Shown
    right: Shown | None = None
    again: str | None = None
    things: tuple[str, ...] = ()

    @property
    def sides(self) -> tuple[Shown, ...]:
        """The outputs that are shown, from left to right."""
        return (self.left,) if self.right is None else (self.left, self.right)


@dataclass(frozen=True, slots=True, kw_only=True)
class BallotRow:
    """A page that was written for one judge, and what its questions stand for.

    alike: pairs that were drawn and are not asked, since both outputs are the same to the last bit. They count as even,
    as far as the page is answered: of a variant that mostly puts out what the reference does, it is not only the few
    outputs that differ which count.
    """

    number: int = field(metadata=KEY)
    id: str
    made_at: str
    asks: str
    title: str = field(metadata=TEXT)
    questions: tuple[Question, ...]
    alike: tuple[Question, ...] = ()

    def alike_beside(self, answered: int) -> tuple[Question, ...]:
        """Return those of the pairs that are alike which count beside so many answered questions."""
        return self.alike[: round(len(self.alike) * answered / len(self.questions))]


@dataclass(frozen=True, slots=True, kw_only=True)
class JudgeRow:
    """Who judges. `made_of` is what a model or a program that judges is; with another digest it is another judge."""

    number: int = field(metadata=KEY)
    name: str
    sort: str
    digest: str = ""
    made_of: Mapping[str, Any] = field(default_factory=dict)
    simulated: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class VerdictRow:
    """One answer, with how it was come by.

    answer: one of PAIR_ANSWERS; by thing one of POINT_ANSWERS; a mark of 0 to 100; None where `unreadable` says why
    there is none. right_run is None but for pairs. place: which question it was, in the order asked. unasked: nobody
    had to look, since both outputs are the same. usage: of a model, tokens_in, tokens_out, tries and cost. doubts: what
    may have talked the judge into it.
    """

    number: int = field(metadata=KEY)
    id: str
    judge: int = field(metadata=reference("judges.number"))
    ballot: int | None = field(default=None, metadata=reference("ballots.number"))
    question: str
    asks: str
    left_run: int = field(metadata=reference("runs.number"))
    right_run: int | None = field(default=None, metadata=reference("runs.number"))
    left_digest: str
    right_digest: str | None = None
    again: str | None = None
    place: int = 0
    unasked: bool = False
    answer: Any = None
    why: str = field(default="", metadata=TEXT)
    unreadable: str | None = field(default=None, metadata=TEXT)
    took_s: float | None = None
    flips: int | None = None
    judged_at: str
    usage: Mapping[str, Any] = field(default_factory=dict)
    doubts: tuple[str, ...] = ()
    voided: str | None = field(default=None, metadata=TEXT)

    @property
    def runs(self) -> tuple[int, ...]:
        """The runs whose outputs were shown, from left to right."""
        return (self.left_run,) if self.right_run is None else (self.left_run, self.right_run)


@dataclass(frozen=True, slots=True, kw_only=True)
class VerdictNoteRow:
    """A remark on a verdict."""

    number: int = field(metadata=KEY)
    verdict: int = field(metadata=reference("verdicts.number"))
    noted_at: str
    text: str = field(metadata=TEXT)


def what_was_shown(question: Question) -> dict[str, Any]:
    """Return the fields of a verdict that say which outputs it is of."""
    right = question.right
    return {
        "question": question.id,
        "left_run": question.left.run,
        "left_digest": question.left.digest,
        "right_run": right.run if right is not None else None,
        "right_digest": right.digest if right is not None else None,
        "again": question.again,
    }


def unasked(question: Question, judge: int, asks: str, judged_at: str, ballot: int | None = None) -> VerdictRow:
    """Return what is kept of a pair of which both outputs are the same: even, though nobody was asked."""
    return VerdictRow(
        number=UNNUMBERED, id="", judge=judge, ballot=ballot, asks=asks, answer=EVEN, unasked=True,
        judged_at=judged_at, **what_was_shown(question),
    )  # fmt: skip


def is_answer(asks: str, answer: Any, things: Collection[str] | None = None) -> bool:
    """Whether something may be said of what is asked; things: what the task expects, where that is known."""
    if asks == PAIRS:
        return isinstance(answer, str) and answer in PAIR_ANSWERS
    if asks == MARKS:
        return type(answer) is int and 0 <= answer <= MOST_MARK
    return (
        isinstance(answer, dict)
        and (things is None or set(answer) <= set(things))
        and all(said in POINT_ANSWERS for said in answer.values())
    )
