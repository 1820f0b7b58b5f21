"""Verdicts to and from files: CSV or JSON Lines, one a row, with the outputs that they are of named by their runs' ids.

What comes back is what went out: who judged and what that judge is made of, how it was shown, what was taken out and
why. The runs have to be here already; a verdict that is here by its id is left as it is.
"""

import json
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path
from typing import Annotated, Any

import msgspec
from msgspec import Meta, Struct

from unvek.core.errors import InputError
from unvek.core.exchange.files import PARQUET, ending_of, read_rows, write_rows
from unvek.core.ids import is_id
from unvek.core.logbook.store import Logbook
from unvek.core.logbook.verdict_rows import (
    ASKED,
    MODEL,
    PAIR_ANSWERS,
    PAIRS,
    PERSON,
    PROGRAM,
    UNNUMBERED,
    JudgeRow,
    VerdictRow,
    is_answer,
)
from unvek.core.plain_text import clean

SORTS = (PERSON, MODEL, PROGRAM)
AS_JSON = ("answer", "usage", "doubts", "notes", "judge_made_of")
Text = Annotated[str, Meta(max_length=4000)]
Short = Annotated[str, Meta(max_length=200)]
Seconds = Annotated[float, Meta(ge=0, le=1e9)]


class VerdictInFile(Struct, frozen=True, kw_only=True):
    """A row: the columns that files have, in this order."""

    id: Short
    judge: Short
    sort: Short
    asks: Short
    answer: Any = None
    why: Text = ""
    left_run: Short
    right_run: Short | None = None
    left_digest: Short
    right_digest: Short | None = None
    question: Short
    again: Short | None = None
    place: Annotated[int, Meta(ge=0, le=2**31)] = 0
    unasked: bool = False
    took_s: Seconds | None = None
    flips: Annotated[int, Meta(ge=0, le=2**31)] | None = None
    judged_at: Short
    unreadable: Text | None = None
    doubts: tuple[Short, ...] = ()
    usage: dict[str, float] = {}
    voided: Text | None = None
    notes: tuple[Text, ...] = ()
    judge_digest: Short = ""
    judge_made_of: dict[str, Any] = {}
    simulated: bool = False


COLUMNS = VerdictInFile.__struct_fields__


def export_verdicts(logbook: Logbook, path: Path) -> int:
    """Write every verdict, and return how many; InputError for a name that says no kind of file."""
    if ending_of(path) == PARQUET:
        raise InputError(f"{path}: verdicts go into .csv or .jsonl")
    try:
        return write_rows(rows_of_verdicts(logbook), COLUMNS, path)
    except OSError as error:
        raise InputError(f"{path} can't be written: {error.strerror}") from error


def rows_of_verdicts(logbook: Logbook) -> Iterator[Mapping[str, Any]]:
    """Yield a row for each verdict, those that were taken out too."""
    verdicts, judges, notes = logbook.verdicts(), logbook.judges(), logbook.verdict_notes()
    numbers = sorted({number for one in verdicts for number in one.runs})
    ids = {run.number: run.id for run in logbook.runs_numbered(numbers)}
    for one in verdicts:
        judge = judges[one.judge]
        yield {
            **{name: getattr(one, name) for name in COLUMNS if hasattr(one, name)},
            "judge": judge.name,
            "sort": judge.sort,
            "judge_digest": judge.digest,
            "judge_made_of": dict(judge.made_of),
            "simulated": judge.simulated,
            "left_run": ids[one.left_run],
            "right_run": ids.get(one.right_run or UNNUMBERED),
            "doubts": list(one.doubts),
            "usage": dict(one.usage),
            "notes": [note.text for note in notes.get(one.number, ())],
        }


def import_verdicts(logbook: Logbook, path: Path) -> tuple[int, int]:
    """Bring in the verdicts of a file, all or none; return how many are new, and how many were here already.

    Raises InputError, with the line, for what can't be used: a run that is not here, an answer that can't be.
    """
    if ending_of(path) == PARQUET:
        raise InputError(f"{path}: verdicts come from .csv or .jsonl")
    return keep_verdicts(logbook, path, ((line, row) for line, header, row in read_rows(path) if row or header is None))


def check_verdicts(path: Path, given: Iterable[tuple[int, Mapping[str, Any]]]) -> None:
    """Raise InputError for the first row that can't be used, before anything of the file is kept."""
    for line, row in given:
        _row(path, line, row)


def keep_verdicts(logbook: Logbook, path: Path, given: Iterable[tuple[int, Mapping[str, Any]]]) -> tuple[int, int]:
    """Keep the verdicts of a file's rows, each with its line, as `import_verdicts`."""
    rows = [(line, _row(path, line, row)) for line, row in given]
    here = {one.id for one in logbook.verdicts()}
    seen: set[str] = set()
    for line, row in rows:
        if row.id in seen:
            raise InputError(f"{path}, line {line}: the verdict {clean(row.id)} is there twice")
        seen.add(row.id)
    new = [(line, row) for line, row in rows if row.id not in here]
    runs = logbook.numbers_by_id(sorted({id for _, row in new for id in (row.left_run, row.right_run) if id}))
    for line, row in new:
        for id in (row.left_run, row.right_run):
            if id is not None and id not in runs:
                raise InputError(f"{path}, line {line}: its run {clean(id, 40)} is not in this logbook; bring the runs "
                                 "in first, with 'unvek import'")  # fmt: skip
    judges = {
        key: logbook.keep_judge(*key, row.judge_made_of, row.simulated)
        for key, row in {(row.judge, row.sort, row.judge_digest): row for _, row in new}.items()
    }
    logbook.keep_verdicts(
        (_verdict(row, judges[row.judge, row.sort, row.judge_digest], runs) for _, row in new),
        notes={row.id: row.notes for _, row in new},
    )
    return len(new), len(rows) - len(new)


def _row(path: Path, line: int, row: Mapping[str, Any]) -> VerdictInFile:
    """Return a row, checked."""
    where = f"{path}, line {line}"
    given = {name: value for name, value in row.items() if value not in ("", None)}
    unknown = set(given) - set(COLUMNS)
    if unknown:
        raise InputError(f"{where}: verdicts have no {clean(sorted(unknown)[0], 40)}; there are {', '.join(COLUMNS)}")
    try:
        for name in AS_JSON:
            if isinstance(given.get(name), str) and not (name == "answer" and given[name] in PAIR_ANSWERS):
                given[name] = json.loads(given[name])
        found = msgspec.convert(given, VerdictInFile, strict=False)
    except (ValueError, RecursionError) as error:
        raise InputError(f"{where}: {clean(str(error), 200)}") from error
    if not is_id(found.id):
        raise InputError(f"{where}: {clean(found.id, 60)!r} is no id of a verdict")
    if found.sort not in SORTS or found.asks not in ASKED:
        raise InputError(f"{where}: a judge is one of {', '.join(SORTS)}, and is asked for {', '.join(ASKED)}")
    if (found.right_run is not None) != (found.asks == PAIRS):
        raise InputError(f"{where}: of pairs there are two outputs, else one")
    if not (is_answer(found.asks, found.answer) if found.answer is not None else found.unreadable):
        raise InputError(f"{where}: {clean(str(found.answer), 60)} is no answer to {found.asks}")
    return found


def _verdict(row: VerdictInFile, judge: JudgeRow, runs: Mapping[str, list[int]]) -> VerdictRow:
    same = (
        "id", "question", "asks", "left_digest", "right_digest", "again", "place", "unasked", "answer", "why",
        "unreadable", "took_s", "flips", "judged_at", "usage", "doubts", "voided",
    )  # fmt: skip
    return VerdictRow(
        number=UNNUMBERED, judge=judge.number, left_run=runs[row.left_run][-1],
        right_run=runs[row.right_run][-1] if row.right_run is not None else None,
        **{name: getattr(row, name) for name in same},
    )  # fmt: skip
