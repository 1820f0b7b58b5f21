"""Questions that one person answers at the rig: drawn as for a page, each verdict kept as it is given."""

from dataclasses import dataclass, field

from unvek.core.logbook.inserting import now
from unvek.core.logbook.store import Logbook
from unvek.core.logbook.verdict_rows import (
    PERSON,
    UNNUMBERED,
    BallotRow,
    JudgeRow,
    Question,
    VerdictRow,
    unasked,
    what_was_shown,
)


@dataclass
class Looking:
    """The answers to one ballot, which is for this judge. The last one is kept once the next is given, or at the end:
    until then it may be taken back."""

    logbook: Logbook
    ballot: BallotRow
    judge: str
    kept: int = 0
    _last: VerdictRow | None = field(default=None, repr=False)
    _row: JudgeRow | None = field(default=None, repr=False)

    def say(self, question: Question, place: int, answer: str, took_s: float, why: str = "") -> None:
        """Take an answer; the one before it is kept."""
        self.keep()
        if self._row is None:
            self._row = self.logbook.keep_judge(self.judge, PERSON)
        self._last = VerdictRow(
            number=UNNUMBERED, id="", judge=self._row.number, ballot=self.ballot.number, asks=self.ballot.asks,
            place=place, answer=answer, why=why, took_s=took_s, judged_at=now(), **what_was_shown(question),
        )  # fmt: skip

    def take_back(self) -> bool:
        """Forget the last answer; whether there was one that is not kept yet."""
        had, self._last = self._last is not None, None
        return had

    def keep(self) -> None:
        if self._last is not None:
            self.logbook.keep_verdicts([self._last])
            self.kept += 1
            self._last = None

    def end(self) -> None:
        """Keep the last answer, and of the pairs that are alike as many as were answered of the others."""
        self.keep()
        if not self.kept or self._row is None:
            return
        alike = self.ballot.alike_beside(self.kept)
        self.logbook.keep_verdicts(
            unasked(question, self._row.number, self.ballot.asks, now(), self.ballot.number) for question in alike
        )
