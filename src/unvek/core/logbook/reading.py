"""The logbook, read: plans, sessions, launches and runs as values; what is long in pieces."""

import json
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import closing, contextmanager
from dataclasses import dataclass, fields
from typing import Any, TypeVar

from sqlalchemy import ColumnElement, Connection, String, func, select, type_coerce

from unvek.core.errors import InputError
from unvek.core.logbook import tables
from unvek.core.logbook.column_types import readers_of_plain
from unvek.core.logbook.database import AT_A_TIME
from unvek.core.logbook.listing import Listed, WantedRuns
from unvek.core.logbook.plan_record import PlanOnRecord, plan_from_json
from unvek.core.logbook.rows import (
    KeptRun,
    LaunchRow,
    RunDetails,
    RunRow,
    SessionRow,
)
from unvek.core.logbook.run_columns import ListColumns
from unvek.core.logbook.run_table import RunTable, uncollected
from unvek.core.logbook.runs_as_columns import BLOCK, RunsAsColumns, plain_rows, rigs_of_launches
from unvek.core.run.events.record import Provenance

NAMED_AT_A_TIME = 500  # numbers or ids in one statement
Row = TypeVar("Row", bound=RunRow)
Kind = TypeVar("Kind")


@dataclass(frozen=True, slots=True, kw_only=True)
class Phases:
    """How long each phase of a run took."""

    run: int
    phases_s: Mapping[str, float]


@dataclass(frozen=True, slots=True, kw_only=True)
class MadeOf:
    """What a run was made of, and which run that is."""

    run: int
    launch: int
    started_at: str
    provenance: Provenance


@dataclass(frozen=True, slots=True, kw_only=True)
class Course:
    """What a run tells along itself: its packed step and token times, and what telemetry saw."""

    run: int
    step_times_s: bytes
    piece_times_s: bytes
    machine: Mapping[str, Any]


def batches(values: Sequence[Any]) -> Iterator[Sequence[Any]]:
    """Yield so many at a time as one statement may name."""
    return (values[start : start + NAMED_AT_A_TIME] for start in range(0, len(values), NAMED_AT_A_TIME))


class LogbookReading(RunsAsColumns):
    """What can be asked of a logbook."""

    @contextmanager
    def reading(self) -> Iterator[Connection]:
        """Hold a transaction in which everything that is read is of one moment."""
        with self._reading() as connection:
            yield connection

    def _there(self, found: Kind | None, what: str, number: int) -> Kind:
        """Return what has to be there; LogbookError where it is not."""
        if found is None:
            with self._telling_of_damage():
                raise ValueError(f"there is no {what} {number}")
        return found

    # ---- plans, sessions, launches, rigs ----

    def newest_plan(self) -> PlanOnRecord | None:
        row = self._first(select(tables.plans).order_by(tables.plans.c.number.desc()).limit(1))
        with self._telling_of_damage():
            return plan_from_json(row.number, row.path, row.text, row.content) if row is not None else None

    def sessions(self) -> list[SessionRow]:
        """Return every session, in the order in which they began here."""
        return list(self._values(SessionRow, select(tables.sessions).order_by(tables.sessions.c.number)))

    def launches(self) -> list[LaunchRow]:
        return list(self._values(LaunchRow, select(tables.launches).order_by(tables.launches.c.number)))

    def sessions_of_launches(self) -> dict[int, int | None]:
        """Return the number of the session that each launch was part of."""
        return {
            row.number: row.session for row in self._rows(select(tables.launches.c.number, tables.launches.c.session))
        }

    def count_by_session(self) -> Counter[int | None]:
        """Return how many runs each session has, trials among them; None for runs that are older than sessions."""
        runs, launches = tables.runs.c, tables.launches.c
        query = (
            select(launches.session, func.count(runs.number).label("count"))
            .join_from(tables.runs, tables.launches)
            .group_by(launches.session)
        )
        return Counter({row.session: row.count for row in self._rows(query)})

    def launch(self, number: int) -> LaunchRow:
        query = select(tables.launches).where(tables.launches.c.number == number)
        return self._there(self._value(LaunchRow, query), "launch", number)

    def has_launch(self, number: int) -> bool:
        return self._first(select(tables.launches.c.number).where(tables.launches.c.number == number)) is not None

    def rigs(self) -> dict[str, Mapping[str, Any]]:
        """Return the facts of each machine that runs were made on, by its fingerprint."""
        return {row.fingerprint: row.facts for row in self._rows(select(tables.rigs))}

    def rig_of_run(self, number: int) -> Mapping[str, Any]:
        """Return the facts of the machine that a run was made on, and its fingerprint."""
        query = (
            select(tables.rigs)
            .join(tables.launches, tables.launches.c.rig == tables.rigs.c.fingerprint)
            .join(tables.runs, tables.runs.c.launch == tables.launches.c.number)
            .where(tables.runs.c.number == number)
        )
        row = self._there(self._first(query), "machine of run", number)
        return {"fingerprint": row.fingerprint, **row.facts}

    def latest_made_of(self, variant: str) -> MadeOf | None:
        """Return what a variant's latest run was made of, of those of which that is known."""
        runs = tables.runs.c
        query = (
            select(runs.number.label("run"), runs.launch, runs.started_at, tables.run_details.c.provenance)
            .join(tables.run_details, tables.run_details.c.run == runs.number)
            .where(runs.variant == variant, runs.place > 0)
            .order_by(runs.number.desc())
        )
        with closing(self._values(MadeOf, query)) as every:
            return next((made for made in every if made.provenance.files is not None), None)

    def made_of_launches(self, firsts: Sequence[int]) -> dict[int, Provenance]:
        """Return what launches were made of, by their numbers, from the number of a run of each."""
        runs, details = tables.runs.c, tables.run_details.c
        query = select(runs.launch, details.provenance).join(tables.run_details, details.run == runs.number)
        queries = (query.where(runs.number.in_(some)) for some in batches(firsts))
        return {row.launch: row.provenance for one in queries for row in self._rows(one)}

    # ---- runs ----

    def runs(self, trials: bool = False) -> list[KeptRun]:
        """Return every run in the order in which they were made: with `trials` those made by `try`, else plans'."""
        return list(self.run_table(KeptRun, trials))

    def run_table(
        self, row: type[Row], trials: bool = False, where: Sequence[ColumnElement[bool]] = ()
    ) -> RunTable[Row]:
        """Return the same as columns: those that this kind of row has, and no others."""
        return self._runs(row, trials, where, self._rigs_of_launches())

    def _rigs_of_launches(self) -> Mapping[int, str]:
        with self._reading() as connection:
            return rigs_of_launches(connection)

    def _runs(
        self,
        row: type[Row],
        trials: bool,
        where: Sequence[ColumnElement[bool]],
        rigs: Mapping[int, str],
        most: int | None = None,
    ) -> RunTable[Row]:
        names = [one.name for one in fields(row) if one.metadata.get("stored", True)]
        found: dict[str, list[Any]] = {name: [] for name in names}
        with uncollected(), self._reading() as connection:
            for rows in plain_rows(connection, names, trials, where, most):
                for column, values in zip(found.values(), zip(*rows, strict=True), strict=True):
                    column.extend(values)
            for name, as_it_was in readers_of_plain(connection.dialect, tables.runs, names).items():
                found[name] = list(map(as_it_was, found[name]))
            varied = {text: json.loads(text) for text in set(found["varied"])}
        found["varied"] = [varied[text] for text in found["varied"]]
        for name in ("warm_up", "trial"):
            if name in found:
                found[name] = [bool(value) for value in found[name]]
        found["rig"] = [rigs[launch] for launch in found["launch"]]
        return RunTable(ListColumns(found), row)

    def blocks_of_runs(self, last: int, trials: bool = False) -> Iterator[list[KeptRun]]:
        """Yield the runs up to a number, in the order in which they were made: with `trials` those of `try`."""
        return (list(block) for block in self._blocks(trials, 1, last, AT_A_TIME))

    def _blocks(
        self, trials: bool, first: int, last: int, at_a_time: int, where: Sequence[ColumnElement[bool]] = ()
    ) -> Iterator[RunTable[KeptRun]]:
        """Yield the runs from one number to another, so many at a time, however far their numbers are apart."""
        number, rigs = tables.runs.c.number, self._rigs_of_launches()
        after = first - 1
        while after < last:
            within = [number > after, number <= last]
            block = self._runs(KeptRun, trials, [*within, *where], rigs, at_a_time)
            if not len(block):
                return
            yield block
            after = block.column("number")[-1]

    def runs_numbered(self, numbers: Sequence[int]) -> list[KeptRun]:
        """Return the runs of these numbers, those of plans, in the order in which they were made."""
        runs = tables.runs.c
        return [run for some in batches(numbers) for run in self.run_table(KeptRun, where=[runs.number.in_(some)])]

    def runs_of_session(self, session: int) -> list[KeptRun]:
        """Return the runs of a session that are not voided."""
        launches = select(tables.launches.c.number).where(tables.launches.c.session == session)
        where = [tables.runs.c.launch.in_(launches), tables.runs.c.voided.is_(None)]
        return list(self.run_table(KeptRun, where=where))

    def numbers_by_id(self, ids: Sequence[str]) -> dict[str, list[int]]:
        """Return the numbers of the runs of each id: of one that was replaced several, the one that counts last."""
        runs = tables.runs.c
        found: dict[str, list[int]] = {}
        for some in batches(ids):
            query = select(runs.id, runs.number).where(runs.id.in_(some)).order_by(runs.voided.is_(None), runs.number)
            for row in self._rows(query):
                found.setdefault(row.id, []).append(row.number)
        return found

    def names_in(self, column: str) -> list[str]:
        """Return the different texts that stand in a column of the table of runs."""
        return [row[0] for row in self._rows(select(tables.runs.c[column]).distinct())]

    def listed(self, wanted: WantedRuns) -> Listed:
        """Return the runs that are wanted, in the order in which they were made; of many the newest, if asked."""
        runs, conditions = tables.runs.c, wanted.conditions()
        of_sort = runs.trial.is_(wanted.trials)
        with self._reading() as connection:
            every = connection.scalar(select(func.count()).select_from(tables.runs).where(of_sort)) or 0
            if wanted.varied:
                texts = connection.scalars(select(type_coerce(runs.varied, String)).distinct()).all()
                fitting_texts = [text for text in texts if wanted.lets(json.loads(text))]
                conditions.append(type_coerce(runs.varied, String).in_(fitting_texts))
            fitting, first = every, 1
            if conditions:
                query = select(func.count()).select_from(tables.runs).where(of_sort, *conditions)
                fitting = connection.scalar(query) or 0
            count = fitting if wanted.newest is None else min(wanted.newest, fitting)
            if count < fitting:
                newest = select(runs.number).where(of_sort, *conditions).order_by(runs.number.desc())
                first = connection.scalar(newest.offset(count - 1).limit(1)) or 1
            last = connection.scalar(select(func.max(runs.number))) or 0
        return Listed(
            every=every, fitting=fitting, count=count,
            blocks=lambda: self._blocks(wanted.trials, first, last, BLOCK, conditions),
        )  # fmt: skip

    def run(self, number: int) -> KeptRun:
        """Return one run; InputError where there is none of this number."""
        runs = tables.runs.c
        query = select(tables.runs, tables.launches.c.rig).join(tables.launches).where(runs.number == number)
        found = self._value(KeptRun, query)
        if found is None:
            last = self._first(select(func.max(runs.number)))
            raise InputError(f"there is no run {number}; the runs here are 1 to {last[0]}" if last and last[0] else
                             "there are no runs here yet; make some with 'unvek run PLAN'")  # fmt: skip
        return found

    def details(self, run: int) -> RunDetails:
        """Return what is read of one run at a time."""
        query = select(tables.run_details).where(tables.run_details.c.run == run)
        return self._there(self._value(RunDetails, query), "details of run", run)

    def details_of(self, runs: Sequence[int]) -> list[RunDetails]:
        """Return the same of some runs."""
        details = tables.run_details
        queries = (select(details).where(details.c.run.in_(some)).order_by(details.c.run) for some in batches(runs))
        return [row for query in queries for row in self._values(RunDetails, query)]

    def texts(self) -> dict[int, str]:
        """Return what each run has written, by its number, where it has written anything."""
        details = tables.run_details.c
        query = select(details.run, details.text).where(details.text != "").order_by(details.run)
        return {row.run: row.text for row in self._rows(query)}

    def has_run(self, launch: int, place: int) -> bool:
        """Whether the run at this place of a launch was kept."""
        runs = tables.runs.c
        return self._first(select(runs.number).where(runs.launch == launch, runs.place == place)) is not None

    def courses(self, numbers: Iterable[int]) -> Iterator[Course]:
        """Yield what these runs tell along themselves."""
        details = tables.run_details.c
        wanted = set(numbers)
        query = select(details.run, details.step_times_s, details.piece_times_s, details.machine).order_by(details.run)
        return (course for course in self._values(Course, query) if course.run in wanted)

    def phases(self) -> dict[int, Mapping[str, float]]:
        """Return how long each phase of each run took, in seconds, by the runs' numbers."""
        details = tables.run_details.c
        query = select(details.run, details.phases_s).order_by(details.run)
        return {row.run: row.phases_s for row in self._values(Phases, query)}
