"""What judges are asked and say, in the logbook: ballots, judges and verdicts, written and read."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from sqlalchemy import func, select

from unvek.core.errors import InputError
from unvek.core.ids import new_id
from unvek.core.logbook import tables
from unvek.core.logbook.inserting import insert_all, next_number, now
from unvek.core.logbook.known_of_runs import KnownOfRuns
from unvek.core.logbook.verdict_rows import BallotRow, JudgeRow, Question, VerdictNoteRow, VerdictRow


class VerdictsKept(KnownOfRuns):
    """What can be asked of a logbook, its verdicts too, and how these are written."""

    # ---- asked ----

    def keep_ballot(
        self, id: str, asks: str, title: str, questions: Sequence[Question], alike: Sequence[Question] = ()
    ) -> BallotRow:
        """Keep what a page's questions stand for; nothing else says it."""
        with self._writing() as connection:
            row = BallotRow(
                number=next_number(connection, tables.ballots), id=id, made_at=now(), asks=asks, title=title,
                questions=tuple(questions), alike=tuple(alike),
            )  # fmt: skip
            insert_all(connection, tables.ballots, [row])
        return row

    def ballot(self, id: str) -> BallotRow | None:
        """Return the ballot of this id; None where there is none."""
        return self._value(BallotRow, select(tables.ballots).where(tables.ballots.c.id == id))

    def ballots(self) -> list[BallotRow]:
        return list(self._values(BallotRow, select(tables.ballots).order_by(tables.ballots.c.number)))

    # ---- said ----

    def keep_judge(
        self, name: str, sort: str, digest: str = "", made_of: Mapping[str, Any] | None = None, simulated: bool = False
    ) -> JudgeRow:
        """Return the judge of this name and digest, who is noted where none is yet."""
        judges = tables.judges.c
        query = select(tables.judges).where(judges.name == name, judges.sort == sort, judges.digest == digest)
        known = self._value(JudgeRow, query)
        if known is not None:
            return known
        with self._writing() as connection:
            row = JudgeRow(
                number=next_number(connection, tables.judges), name=name, sort=sort, digest=digest,
                made_of=made_of or {}, simulated=simulated,
            )  # fmt: skip
            insert_all(connection, tables.judges, [row])
        return row

    def judges(self) -> dict[int, JudgeRow]:
        """Return who has judged, by number."""
        rows = self._values(JudgeRow, select(tables.judges).order_by(tables.judges.c.number))
        return {row.number: row for row in rows}

    def keep_verdicts(
        self, verdicts: Iterable[VerdictRow], notes: Mapping[str, Sequence[str]] | None = None
    ) -> list[VerdictRow]:
        """Keep verdicts in one transaction, with the remarks on each by its id, and return them as they are kept."""
        with self._writing() as connection:
            first = next_number(connection, tables.verdicts)
            kept = [
                replace(verdict, number=number, id=verdict.id or new_id())
                for number, verdict in enumerate(verdicts, first)
            ]
            insert_all(connection, tables.verdicts, kept)
            for verdict in kept:
                for text in (notes or {}).get(verdict.id, ()):
                    connection.execute(
                        tables.verdict_notes.insert().values(verdict=verdict.number, noted_at=now(), text=text)
                    )
        return kept

    def verdicts(self) -> list[VerdictRow]:
        """Return every verdict in the order in which they were kept, those that were taken out too."""
        return list(self._values(VerdictRow, select(tables.verdicts).order_by(tables.verdicts.c.number)))

    def has_verdicts(self) -> bool:
        return self._first(select(tables.verdicts.c.number).limit(1)) is not None

    def verdict(self, number: int) -> VerdictRow:
        """Return one verdict; InputError where there is none of this number."""
        found = self._value(VerdictRow, select(tables.verdicts).where(tables.verdicts.c.number == number))
        if found is None:
            last = self._first(select(func.max(tables.verdicts.c.number)))
            if last is None or last[0] is None:
                raise InputError("there are no verdicts here yet; see 'unvek judge ballot --help'")
            raise InputError(f"there is no verdict {number}; the verdicts here are 1 to {last[0]}")
        return found

    def void_verdict(self, number: int, reason: str | None) -> None:
        """Take a verdict out, with the reason; None takes it in again. InputError where there is none."""
        self.verdict(number)
        with self._writing() as connection:
            verdicts = tables.verdicts
            connection.execute(verdicts.update().where(verdicts.c.number == number).values(voided=reason))

    def note_verdict(self, number: int, text: str) -> None:
        """Keep a remark on a verdict; InputError where there is none."""
        self.verdict(number)
        with self._writing() as connection:
            connection.execute(tables.verdict_notes.insert().values(verdict=number, noted_at=now(), text=text))

    def verdict_notes(self) -> dict[int, list[VerdictNoteRow]]:
        """Return the remarks on verdicts, oldest first, by the verdict's number."""
        found: dict[int, list[VerdictNoteRow]] = {}
        for row in self._values(VerdictNoteRow, select(tables.verdict_notes).order_by(tables.verdict_notes.c.number)):
            found.setdefault(row.verdict, []).append(row)
        return found
