"""The logbook, read: runs, launches, outputs and measures as rows; what is long comes in small pieces."""

import json
from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, Select, String, func, select, type_coerce
from sqlalchemy.types import NullType

from unvek.core.errors import InputError
from unvek.core.logbook import tables
from unvek.core.logbook.database import Database
from unvek.core.logbook.listing import Listed, WantedRuns
from unvek.core.logbook.packing import unpack_floats
from unvek.core.logbook.run_table import Columns, RunTable, uncollected
from unvek.core.plan.cells import Cell
from unvek.core.run.record import CELL_FROM_ELSEWHERE, FAILURES, FINISHED, Slot

Row = Mapping[str, Any]
AT_A_TIME = 2000  # rows
# What findings need of many runs at once; the rest of a run is read where one is shown.
FOR_FINDINGS = (
    "number", "cell", "launch", "place", "variant", "form", "task", "seed", "round", "repeat", "warm_up", "varied",
    "status", "voided", "time_s", "first_s", "steps", "step_time_s", "memory_peak_bytes", "memory_device_bytes",
    "cpu_s", "tokens", "source", "energy_j", "others_share", "stolen_share",
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanOnRecord:
    """A plan as the logbook keeps it: its number, its file's text, and what findings need of it."""

    number: int
    path: str
    text: str
    content: Mapping[str, Any]


class Measured(NamedTuple):
    """One value of a measure of a run, against another run (0: against none)."""

    run: int
    name: str
    against: int
    value: float | None
    unit: str


@dataclass(frozen=True, slots=True, kw_only=True)
class SeenRun:
    """The little of an earlier run that forecasts and the live view need."""

    number: int
    cell: str
    variant: str
    time_s: float | None
    steps: int
    status: str
    warm_up: bool
    cold: bool


class LogbookReading(Database):
    """What can be asked of a logbook."""

    # ---- what a plan has still to do ----

    def done(self, cells: Collection[Cell], rig: str, round_number: int) -> set[Slot]:
        """Return the slots of these cells, all of one variant, that runs of this round have filled on this rig.

        A slot is filled by a run with an outcome that was begun at all and is not voided. A run that failed fills
        its slot only under the limits of today: with more time it might finish.
        """
        variants = {cell.variant.name for cell in cells}
        return {
            Slot(cell_key=cell, round=round_number, repeat=repeat)
            for cell, _, _, repeat in self._filled(
                cells,
                tables.launches.c.rig == rig,
                tables.runs.c.round == round_number,
                tables.runs.c.variant.in_(variants),
            )
        }

    def done_counts(self, cells: Collection[Cell], rig: str, rounds: int, repeats: int) -> Counter[tuple[str, int]]:
        """Return how many slots are filled, by variant and round."""
        runs = tables.runs.c
        counts: Counter[tuple[str, int]] = Counter()
        on_this = tables.launches.c.rig == rig
        for _, variant, round_number, _ in self._filled(cells, on_this, runs.round <= rounds, runs.repeat <= repeats):
            counts[variant, round_number] += 1
        return counts

    def done_elsewhere(self, cells: Collection[Cell], rig: str) -> int:
        """Return how many slots of these cells are filled by runs on other rigs, which do not count on this one."""
        return sum(1 for _ in self._filled(cells, tables.launches.c.rig != rig))

    def _filled(self, cells: Collection[Cell], *which: Any) -> Iterator[tuple[str, str, int, int]]:
        """Yield (cell, variant, round, repeat) of each filled slot, each once."""
        limits = {cell.key: dict(cell.variant.limits.as_mapping()) for cell in cells}
        runs = tables.runs.c
        conditions = (
            *which, runs.place > 0, runs.warm_up.is_(False), runs.trial.is_(False), runs.voided.is_(None),
        )  # fmt: skip
        finished = (
            select(runs.cell, runs.variant, runs.round, runs.repeat)
            .join_from(tables.runs, tables.launches)
            .where(runs.status == FINISHED, *conditions)
            .distinct()
        )
        for row in self._rows(finished):
            if row["cell"] in limits:
                yield row["cell"], row["variant"], row["round"], row["repeat"]
        failed = (
            select(runs.cell, runs.variant, runs.round, runs.repeat, tables.run_details.c.limits)
            .join_from(tables.runs, tables.launches)
            .join(tables.run_details, tables.run_details.c.run == runs.number)
            .where(runs.status.in_(FAILURES), *conditions)
        )
        seen = set()
        for row in self._rows(failed):
            slot = (row["cell"], row["variant"], row["round"], row["repeat"])
            under = {name: value for name, value in row["limits"].items() if value is not None}
            if slot not in seen and limits.get(row["cell"]) == under and not self._is_finished(slot, conditions):
                seen.add(slot)
                yield slot

    def _is_finished(self, slot: tuple[str, str, int, int], conditions: Collection[Any]) -> bool:
        """Whether a run that finished fills this slot, under the same conditions."""
        cell, _, round_number, repeat = slot
        runs = tables.runs.c
        query = (
            select(runs.number)
            .join_from(tables.runs, tables.launches)
            .where(runs.status == FINISHED, runs.cell == cell, runs.round == round_number, runs.repeat == repeat)
            .where(*conditions)
        )
        with self._reading() as connection:
            return connection.execute(query.limit(1)).first() is not None

    def seen_runs(self, newest_first: bool = False, most: int | None = None) -> Iterator[SeenRun]:
        """Yield the runs of plans that began and are not voided, of the newest so many runs."""
        runs = tables.runs.c
        since = 0 if most is None else select(func.coalesce(func.max(runs.number), 0) - most).scalar_subquery()
        query = (
            select(runs.number, runs.cell, runs.variant, runs.time_s, runs.steps, runs.status, runs.warm_up, runs.place)
            .where(
                runs.number > since,
                runs.place > 0,
                runs.voided.is_(None),
                runs.trial.is_(False),
                runs.cell.not_like(CELL_FROM_ELSEWHERE + "%"),
            )
            .order_by(runs.number.desc() if newest_first else runs.number)
        )
        for row in self._rows(query):
            values = dict(row)
            yield SeenRun(cold=values.pop("place") == 1, **values)

    def latest_made_of(self, variant: str) -> Row | None:
        """Return number, launch, start and provenance of a variant's latest run whose provenance is known."""
        runs = tables.runs.c
        query = (
            select(runs.number, runs.launch, runs.started_at, tables.run_details.c.provenance)
            .join(tables.run_details, tables.run_details.c.run == runs.number)
            .where(runs.variant == variant, runs.place > 0)
            .order_by(runs.number.desc())
        )
        return next((row for row in self._rows(query) if row["provenance"].get("files") is not None), None)

    # ---- plans, rigs, runs ----

    def newest_plan(self) -> PlanOnRecord | None:
        with self._reading() as connection:
            row = connection.execute(select(tables.plans).order_by(tables.plans.c.number.desc()).limit(1)).first()
        return PlanOnRecord(number=row.number, path=row.path, text=row.text, content=row.content) if row else None

    def runs(self, trials: bool = False) -> list[Row]:
        """Return every run, as rows of the table `runs` with its launch's rig, in the order in which they were made.

        With `trials` those made by `try`, else those of plans.
        """
        return list(self.run_table(trials))

    def run_table(
        self, trials: bool = False, columns: Sequence[str] | None = None, where: Sequence[ColumnElement[bool]] = ()
    ) -> RunTable:
        """Return the same as columns: all of them, or those named and the launch's rig."""
        names = tuple(columns or tables.runs.c.keys())
        rigs = {launch["number"]: launch["rig"] for launch in self.launches()}
        query = (
            select(*(type_coerce(tables.runs.c[name], NullType) for name in names))
            .where(tables.runs.c.trial.is_(trials), *where)
            .order_by(tables.runs.c.number)
        )
        found: dict[str, list[Any]] = {name: [] for name in names}
        with uncollected(), self._reading() as connection:
            cursor = connection.execute(query).cursor  # the driver's own: its rows are plain tuples
            while cursor is not None and (rows := cursor.fetchmany(AT_A_TIME)):
                for column, values in zip(found.values(), zip(*rows, strict=True), strict=True):
                    column.extend(values)
        varied = {text: json.loads(text) for text in set(found["varied"])}
        found["varied"] = [varied[text] for text in found["varied"]]
        found["warm_up"] = [bool(warm_up) for warm_up in found["warm_up"]]
        found["rig"] = [rigs[launch] for launch in found["launch"]]
        return RunTable(Columns(found))

    def names_in(self, column: str) -> list[str]:
        """Return the different texts that stand in a column of the table of runs."""
        with self._reading() as connection:
            return list(connection.scalars(select(tables.runs.c[column]).distinct()))

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
            fitting = every
            if conditions:
                query = select(func.count()).select_from(tables.runs).where(of_sort, *conditions)
                fitting = connection.scalar(query) or 0
        at_least = None
        if wanted.newest is not None and wanted.newest < fitting:
            newest = select(runs.number).where(of_sort, *conditions).order_by(runs.number.desc())
            with self._reading() as connection:
                at_least = connection.scalar(newest.offset(wanted.newest - 1).limit(1))
            conditions.append(runs.number >= at_least)
        return Listed(self.run_table(wanted.trials, where=conditions), fitting, every)

    def run(self, number: int) -> Row:
        """Return one run with its details; InputError where there is none of this number."""
        query = select(tables.runs, tables.run_details).join(tables.run_details).where(tables.runs.c.number == number)
        with self._reading() as connection:
            row = connection.execute(query).first()
            if row is None:
                last = connection.scalar(select(func.max(tables.runs.c.number)))
                raise InputError(f"there is no run {number}; the runs here are 1 to {last}" if last else
                                 "there are no runs here yet; make some with 'unvek run PLAN'")  # fmt: skip
        return {
            **row._mapping,
            "step_times_s": unpack_floats(row.step_times_s),
            "piece_times_s": unpack_floats(row.piece_times_s or b""),
        }

    def texts(self) -> dict[int, str]:
        """Return what each run has written, by its number, where it has written anything."""
        details = tables.run_details.c
        with self._reading() as connection:
            return {row.run: row.text for row in connection.execute(select(details.run, details.text)) if row.text}

    def has_run(self, launch: int, place: int) -> bool:
        """Whether the run at this place of a launch was kept."""
        query = select(tables.runs.c.number).where(tables.runs.c.launch == launch, tables.runs.c.place == place)
        with self._reading() as connection:
            return connection.execute(query).first() is not None

    def has_launch(self, number: int) -> bool:
        with self._reading() as connection:
            return (
                connection.scalar(select(tables.launches.c.number).where(tables.launches.c.number == number))
                is not None
            )

    def launches(self) -> list[Row]:
        return list(self._rows(select(tables.launches)))

    def made_of_launches(self) -> dict[int, Row]:
        """Return what the first run of each launch was made of (its provenance), by the launch's number."""
        runs = tables.runs.c
        firsts = select(func.min(runs.number)).where(runs.trial.is_(False), runs.place > 0).group_by(runs.launch)
        query = (
            select(runs.launch, tables.run_details.c.provenance)
            .join(tables.run_details, tables.run_details.c.run == runs.number)
            .where(runs.number.in_(firsts))
        )
        return {row["launch"]: row["provenance"] for row in self._rows(query)}

    def launch(self, number: int) -> Row:
        query = select(tables.launches, tables.rigs.c.facts).join(tables.rigs).where(tables.launches.c.number == number)
        with self._reading() as connection:
            return dict(connection.execute(query).one()._mapping)

    def rigs(self) -> dict[str, Row]:
        """Return the facts of each machine that runs were made on, by its fingerprint."""
        return {row["fingerprint"]: row["facts"] for row in self._rows(select(tables.rigs))}

    def rig_of_runs(self, numbers: Iterable[int]) -> Row:
        """Return the facts of the machine that the newest of these runs was made on, and its fingerprint."""
        query = (
            select(tables.rigs)
            .join(tables.launches, tables.launches.c.rig == tables.rigs.c.fingerprint)
            .join(tables.runs, tables.runs.c.launch == tables.launches.c.number)
            .where(tables.runs.c.number == max(numbers))
        )
        with self._reading() as connection:
            row = connection.execute(query).one()
        return {"fingerprint": row.fingerprint, **row.facts}

    def outputs(self, run: int | None = None) -> list[Row]:
        """Return the kept files of all runs, or of one."""
        query = select(tables.outputs).order_by(tables.outputs.c.number)
        return list(self._rows(query if run is None else query.where(tables.outputs.c.run == run)))

    def measured(self, run: int | None = None) -> list[Measured]:
        """Return the measures of all runs, or of one."""
        query = select(*(tables.measures.c[name] for name in Measured._fields))
        if run is not None:
            query = query.where(tables.measures.c.run == run)
        with self._reading() as connection:
            return list(map(Measured._make, connection.execute(query).fetchall()))

    def notes(self, run: int) -> list[Row]:
        """Return the remarks on a run, oldest first."""
        return list(self._rows(select(tables.notes).where(tables.notes.c.run == run).order_by(tables.notes.c.number)))

    def courses(self, numbers: Iterable[int]) -> Iterator[Row]:
        """Yield what these runs tell along themselves: their packed step and token times, and what telemetry saw."""
        details = tables.run_details.c
        wanted = set(numbers)
        query = select(details.run, details.step_times_s, details.piece_times_s, details.machine)
        for row in self._rows(query):
            if row["run"] in wanted:
                yield row

    def noted_runs(self) -> set[int]:
        """Return the numbers of the runs that there are remarks on."""
        return {row["run"] for row in self._rows(select(tables.notes.c.run).distinct())}

    def forecasts(self) -> list[Row]:
        """Return the forecasts of whole sessions, oldest first."""
        return list(self._rows(select(tables.forecasts).order_by(tables.forecasts.c.number)))

    def _rows(self, query: Select[Any]) -> Iterator[dict[str, Any]]:
        with self._reading() as connection:
            for row in connection.execution_options(yield_per=AT_A_TIME).execute(query):
                yield dict(row._mapping)
