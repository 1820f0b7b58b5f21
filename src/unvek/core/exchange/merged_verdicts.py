"""What judges were asked and said, from another logbook into this one: each once, by their ids."""

from collections.abc import Mapping
from dataclasses import replace

from sqlalchemy import Connection, select, update

from unvek.core.logbook import tables
from unvek.core.logbook.inserting import insert_all, next_number
from unvek.core.logbook.store import Logbook
from unvek.core.logbook.verdict_rows import Question, Shown


def merge_verdicts(connection: Connection, theirs: Logbook, runs: Mapping[int, int]) -> int:
    """Bring what is not here, and return how many verdicts that were; runs: numbers there, and here."""
    ballots, judges = _ballots(connection, theirs, runs), _judges(connection, theirs)
    verdicts = tables.verdicts
    known = {row.id: row for row in connection.execute(select(verdicts.c.id, verdicts.c.number, verdicts.c.voided))}
    number = next_number(connection, verdicts)
    new, numbers = [], {}
    for verdict in theirs.verdicts():
        if verdict.id in known:
            here = known[verdict.id]
            numbers[verdict.number] = here.number
            if verdict.voided is not None and here.voided is None:
                connection.execute(
                    update(verdicts).where(verdicts.c.number == here.number).values(voided=verdict.voided)
                )
            continue
        if not all(run in runs for run in verdict.runs):
            continue
        new.append(
            replace(
                verdict, number=number, judge=judges[verdict.judge], left_run=runs[verdict.left_run],
                right_run=runs[verdict.right_run] if verdict.right_run is not None else None,
                ballot=ballots.get(verdict.ballot) if verdict.ballot is not None else None,
            )
        )  # fmt: skip
        numbers[verdict.number] = number
        number += 1
    insert_all(connection, verdicts, new)
    _notes(connection, theirs, numbers)
    return len(new)


def _ballots(connection: Connection, theirs: Logbook, runs: Mapping[int, int]) -> dict[int, int]:
    ballots = tables.ballots
    known = {row.id: row.number for row in connection.execute(select(ballots.c.id, ballots.c.number))}
    numbers = {}
    for ballot in theirs.ballots():
        if ballot.id not in known:
            number = next_number(connection, ballots)
            row = replace(
                ballot, number=number, questions=tuple(_as_here(one, runs) for one in ballot.questions),
                alike=tuple(_as_here(one, runs) for one in ballot.alike),
            )  # fmt: skip
            insert_all(connection, ballots, [row])
            known[ballot.id] = number
        numbers[ballot.number] = known[ballot.id]
    return numbers


def _as_here(question: Question, runs: Mapping[int, int]) -> Question:
    def shown(side: Shown) -> Shown:
        return replace(side, run=runs.get(side.run, 0))

    right = question.right
    return replace(question, left=shown(question.left), right=shown(right) if right is not None else None)


def _judges(connection: Connection, theirs: Logbook) -> dict[int, int]:
    judges = tables.judges
    known = {(row.name, row.sort, row.digest): row.number for row in connection.execute(select(judges))}
    numbers = {}
    for judge in theirs.judges().values():
        key = (judge.name, judge.sort, judge.digest)
        if key not in known:
            known[key] = next_number(connection, judges)
            insert_all(connection, judges, [replace(judge, number=known[key])])
        numbers[judge.number] = known[key]
    return numbers


def _notes(connection: Connection, theirs: Logbook, numbers: Mapping[int, int]) -> None:
    notes = tables.verdict_notes
    here = {(row.verdict, row.noted_at, row.text) for row in connection.execute(select(notes))}
    for verdict, of_verdict in theirs.verdict_notes().items():
        for note in of_verdict:
            key = (numbers.get(verdict), note.noted_at, note.text)
            if key[0] is not None and key not in here:
                connection.execute(notes.insert().values(verdict=key[0], noted_at=note.noted_at, text=note.text))
