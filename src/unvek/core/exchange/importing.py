"""Timings from elsewhere into a logbook: all of a file, or nothing of it."""

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import chain, islice
from pathlib import Path
from typing import Any

from sqlalchemy import Connection

from unvek.core.errors import InputError
from unvek.core.exchange.bringing import Bringing, Count, Placed, cell_of
from unvek.core.exchange.brought_sessions import Rig
from unvek.core.exchange.cells import CellError
from unvek.core.exchange.columns import (
    MEASURE,
    MOST_MEASURES,
    BroughtRun,
    brought_run,
    check_columns,
    measures_in,
)
from unvek.core.exchange.dataset import digest_of, rows_of_dataset
from unvek.core.exchange.files import Row, read_rows
from unvek.core.exchange.page_data import PAGE, PageData, read_page, rows_of_page
from unvek.core.exchange.verdict_files import check_verdicts, keep_verdicts
from unvek.core.logbook.plan_record import plan_as_json, plan_of_runs_from_elsewhere
from unvek.core.logbook.store import Logbook, keep_plan
from unvek.core.rig.facts import elsewhere

MOST_PROBLEMS = 20  # told at once
TOLD_EVERY = 20_000  # runs
AT_A_TIME = 1000
Where = int | str  # a line of a file; of a file among several, which one and where in it


@dataclass(frozen=True, slots=True, kw_only=True)
class Imported:
    """What came of it: how many runs are new, took an earlier one's place, or were there already.

    alike are new ones that tell the very time of the same item as one that was brought in before. already_in is the
    session that brought this very file in before.
    """

    new: int
    replaced: int
    unchanged: int
    alike: int
    variants: tuple[str, ...]
    session: str | None
    reference: str
    already_in: str | None = None


def import_timings(
    logbook: Logbook,
    path: Path,
    reference: str | None = None,
    rig: Rig | None = None,
    name: str | None = None,
    tell: Callable[[str], None] | None = None,
) -> Imported:
    """Put a file's runs into the logbook, in one transaction.

    reference: the variant that the others are held against, where the logbook has no plan that says so; the file's
    first if None. rig: the fingerprint and facts of the machine that timings are of which do not say theirs; an unknown
    one if None. name: of the session of runs that do not say theirs. tell: hears now and then how far a long file is.
    InputError names line and column of what can't be used; the logbook is then as it was.
    """
    digest = digest_of(path)
    page = read_page(path) if path.suffix.lower() == PAGE else None
    if page is not None:
        check_verdicts(path, enumerate(page.verdicts, 1))
    runs = _runs_of(path, _rows_of(path, page))
    first = next(runs)
    before = next((session.name for session in logbook.sessions() if session.digest == digest), None)
    if before is not None and not _tells_which(first, name):
        return _as_it_was(logbook, before)
    with logbook.bringing_in() as connection:
        bringing = Bringing(logbook, connection, path.name, name, rig or elsewhere(), digest)
        every = chain([first], runs)
        count = 0
        while batch := list(islice(every, min(AT_A_TIME, TOLD_EVERY))):
            bringing.take(batch)
            count += len(batch)
            if tell is not None and count % TOLD_EVERY == 0:
                tell(f"{path.name}: {count} runs read...")
        bringing.finish()
        if logbook.newest_plan() is None:
            _keep_plan_of(connection, path, page, _reference(bringing.count, reference) if page is None else "")
    if page is not None and page.verdicts:
        keep_verdicts(logbook, path, enumerate(page.verdicts, 1))
    session = bringing.sessions.first
    return _imported(logbook, bringing.count, session.name if session is not None else None)


def _rows_of(path: Path, page: PageData | None) -> Iterable[tuple[Where, Sequence[str] | None, Row]]:
    if page is not None:
        return rows_of_page(page)
    return rows_of_dataset(path) if path.is_dir() else read_rows(path)


def _keep_plan_of(connection: Connection, path: Path, page: PageData | None, reference: str) -> None:
    """Keep what results go by where the logbook has no plan: the page's, or one that says which is the reference."""
    if page is not None:
        plan = page.plan.plan
        keep_plan(connection, plan, plan_as_json(plan, page.plan.cells, page.plan.weights_bytes))
        return
    plan = plan_of_runs_from_elsewhere(f"Timings from {path.name}", reference)
    keep_plan(connection, plan, plan_as_json(plan, (), {}))


def _tells_which(first: Placed, name: str | None) -> bool:
    """Whether a file's runs say by themselves which runs they are: by id, or by the session that they are part of."""
    return "id" in first.run.own or "session" in first.run.beside or name is not None


def _imported(logbook: Logbook, count: Count, session: str | None, already_in: str | None = None) -> Imported:
    plan = logbook.newest_plan()
    assert plan is not None, "there is one from now on"
    return Imported(
        new=count.new, replaced=count.replaced, unchanged=count.unchanged, alike=count.alike,
        variants=tuple(count.variants), session=session, reference=plan.plan.reference, already_in=already_in,
    )  # fmt: skip


def _as_it_was(logbook: Logbook, session: str) -> Imported:
    number = next(one.number for one in logbook.sessions() if one.name == session)
    runs = logbook.runs_of_session(number)
    count = Count(unchanged=len(runs), variants=dict.fromkeys(run.variant for run in runs))
    return _imported(logbook, count, session, already_in=session)


def _reference(count: Count, reference: str | None) -> str:
    variants = list(count.variants)
    if reference is not None and reference not in variants:
        raise InputError(f"there is no variant {reference!r} to be the reference; there are {', '.join(variants)}")
    return reference or variants[0]


def _runs_of(path: Path, rows: Iterable[tuple[Where, Sequence[str] | None, Row]]) -> Iterator[Placed]:
    """Yield the file's runs; after the last, InputError with every problem there was (up to MOST_PROBLEMS)."""
    order = _Order()
    problems: list[str] = []
    count = 0
    checked: set[tuple[str, ...]] = set()
    measures: set[str] = set()
    for line, header, row in rows:
        try:
            if header is not None and tuple(header) not in checked:
                check_columns(header)
                checked.add(tuple(header))
                measures |= measures_in(header)
                if len(measures) > MOST_MEASURES:
                    raise CellError(MEASURE, f"{len(measures)} measures", f"at most {MOST_MEASURES} in a file")
            if not row:
                continue
            run = order.placed(brought_run(row), line)
        except CellError as error:
            problems.append(f"{_at(line)}, {error}")
            too_many = len(problems) == MOST_PROBLEMS or len(measures) > MOST_MEASURES
            if too_many or (header is not None and not row):
                break
            continue
        count += 1
        if not problems:
            yield run
    if problems:
        raise InputError(f"{path} was not imported, and nothing was changed:\n  " + "\n  ".join(problems))
    if not count:
        raise InputError(f"{path} holds no run")


class _Order:
    """Gives each run its round and repeat where the file does not, and finds the same run told twice."""

    def __init__(self) -> None:
        self._rounds: Counter[tuple[str, int | None]] = Counter()
        self._repeats: Counter[tuple[str, int]] = Counter()
        self._lines: dict[Any, Where] = {}

    def placed(self, run: BroughtRun, line: Where) -> Placed:
        own, beside = run.own, run.beside
        round_number, repeat = own.get("round"), own.get("repeat")
        if "id" in own and "voided" not in own:
            self._refuse_twice("id", own["id"], own["id"], line)
        if own.get("warm_up"):
            return Placed(run, round_number or 1, repeat or 1)
        cell = cell_of(run) + str(beside.get("session_id") or beside.get("session") or "")
        if round_number is None:
            self._rounds[cell, repeat] += 1
            round_number = self._rounds[cell, repeat]
        if repeat is None:
            self._repeats[cell, round_number] += 1
            repeat = self._repeats[cell, round_number]
        if "id" not in own and "voided" not in own:
            self._refuse_twice("repeat", repeat, (cell, round_number, repeat), line)
        return Placed(run, round_number, repeat)

    def _refuse_twice(self, column: str, found: object, key: object, line: Where) -> None:
        before = self._lines.setdefault(key, line)
        if before != line:
            raise CellError(column, found, f"each run once: {_at(before)} has this one")


def _at(where: Where) -> str:
    return f"line {where}" if isinstance(where, int) else where
