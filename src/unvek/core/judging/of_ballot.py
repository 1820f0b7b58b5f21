"""What stands on a ballot: for each question the prompt and the outputs, and nothing that tells variants apart."""

import secrets
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import ClassVar

from unvek.core.errors import InputError
from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.outputs.source import AWAY, OutputError
from unvek.core.judging.drawing import Asking, draw_questions
from unvek.core.judging.outputs import Content, JudgedOutputs, asked_for
from unvek.core.logbook.rows import RunRow
from unvek.core.logbook.store import Logbook
from unvek.core.logbook.verdict_rows import Question

ID_BYTES = 16


@dataclass(frozen=True, slots=True, kw_only=True)
class BallotQuestion:
    """One question as it is put: outputs has one or two; things are what the task expects, where that is asked."""

    id: str
    prompt: str
    outputs: tuple[Content, ...]
    things: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Ballot:
    """A page for one judge."""

    kind: ClassVar[str] = "ballot"
    id: str
    asks: str
    questions: tuple[BallotQuestion, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class BallotsMade:
    """The pages; of how many questions that could be asked; how many pairs are alike, and so not asked."""

    ballots: tuple[Ballot, ...]
    possible: int
    chosen: int
    alike: int


def make_ballots(
    logbook: Logbook,
    evidence: Evidence,
    outputs: JudgedOutputs,
    asking: Asking,
    judges: int = 1,
    lossy: bool = False,
    progress: Callable[[int, int], None] | None = None,
) -> BallotsMade:
    """Draw the questions, keep in the logbook what they stand for, and return the pages.

    progress hears how many questions are ready, of how many.
    Raises InputError where there is nothing to ask about, or an output is not what was made any more.
    """
    drawn = draw_questions(evidence, outputs, asking, judges)
    rows = {row.number: row for row in evidence.runs.rows}
    pages = []
    count, ready = sum(map(len, drawn.pages)), 0
    for questions in drawn.pages:
        shown = []
        for question in questions:
            shown.append(_as_put(question, rows, evidence, outputs, lossy))
            ready += 1
            if progress is not None:
                progress(ready, count)
        pages.append((secrets.token_hex(ID_BYTES), questions, tuple(shown)))
    for id, questions, _ in pages:
        logbook.keep_ballot(id, asking.asks, evidence.plan.title, questions, drawn.alike)
    first = drawn.pages[0]
    return BallotsMade(
        ballots=tuple(Ballot(id=id, asks=asking.asks, questions=shown) for id, _, shown in pages),
        possible=drawn.possible,
        chosen=sum(one.again is None and one.right != one.left for one in first),
        alike=len(drawn.alike),
    )


def _as_put(
    question: Question, rows: Mapping[int, RunRow], evidence: Evidence, outputs: JudgedOutputs, lossy: bool
) -> BallotQuestion:
    row = rows[question.left.run]
    for side in question.sides:  # each alone, so that it is said which one is not as it was
        try:
            outputs.check(side)
        except OutputError as error:
            of = rows[side.run]
            mend = (
                "share outputs, with outputs = \"PLACE\" in the plan ('unvek help team'), or ask there"
                if str(error) == AWAY
                else f"make it anew with 'unvek run', or leave it out with 'unvek void {of.number}'"
            )
            raise InputError(f"{of.task} of {of.variant}, run {of.number}: {error}; {mend}") from error  # fmt: skip
    return BallotQuestion(
        id=question.id, prompt=asked_for(row, evidence.settings.tasks.get(row.task)),
        outputs=outputs.contents(question.sides, lossy), things=question.things,
    )  # fmt: skip
