"""The logbook: opened, written a run at a time, and read."""

import hashlib
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from statistics import median
from typing import Any, Self

from sqlalchemy import Connection, Engine, create_engine, event, func, select
from sqlalchemy.exc import DatabaseError, IntegrityError

from unvek.core.errors import InputError, LogbookError
from unvek.core.logbook import tables
from unvek.core.logbook.folder import LogbookFolder, OutputFile
from unvek.core.logbook.packing import pack_floats, unpack_floats
from unvek.core.plan.cells import Cell
from unvek.core.run.record import FINISHED, OUTCOMES, RunRecord, Slot

Row = Mapping[str, Any]


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanOnRecord:
    """A plan as the logbook keeps it: its number, its file's text, and what findings need of it."""

    number: int
    path: str
    text: str
    content: Mapping[str, Any]


@dataclass(frozen=True, slots=True, kw_only=True)
class Measured:
    """One value of a measure of a run, against another run (0: against none)."""

    run: int
    name: str
    against: int
    value: float | None
    unit: str


class Logbook:
    """An open logbook. Reading and writing go through short transactions of their own."""

    def __init__(self, folder: LogbookFolder, engine: Engine):
        self.folder = folder
        self._engine = engine
        self._rig = ""

    @classmethod
    def make_or_open(cls, path: Path) -> Self:
        """Open the logbook in this folder, made where there is none."""
        folder = LogbookFolder(path)
        folder.make()
        logbook = cls(folder, _sqlite(folder.database))
        with logbook._writing() as connection:
            tables.metadata.create_all(connection)
            if connection.scalar(select(func.count()).select_from(tables.about)) == 0:
                connection.execute(tables.about.insert().values(key="format_version", value=str(tables.FORMAT_VERSION)))
        logbook._check_version()
        return logbook

    @classmethod
    def open(cls, path: Path) -> Self:
        """Open the logbook in this folder; LogbookError where there is none or it is of a newer Unvek."""
        folder = LogbookFolder(path)
        if not folder.database.is_file():
            raise LogbookError(f"there is no logbook in {path}")
        logbook = cls(folder, _sqlite(folder.database))
        logbook._check_version()
        return logbook

    def close(self) -> None:
        self._engine.dispose()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    # ---- writing: what a plan's runs need (the engine's Keeper) ----

    def record_rig(self, fingerprint: str, facts: Mapping[str, Any]) -> None:
        """Note the machine that the next launches are made on."""
        self._rig = fingerprint
        with self._writing() as connection:
            if (
                connection.scalar(select(tables.rigs.c.fingerprint).where(tables.rigs.c.fingerprint == fingerprint))
                is None
            ):
                connection.execute(tables.rigs.insert().values(fingerprint=fingerprint, facts=dict(facts)))

    def record_plan(self, path: Path, text: str, content: Mapping[str, Any]) -> int:
        """Note the plan whose runs are made next; the newest plan is what findings speak of."""
        digest = hashlib.sha256(repr((text, content)).encode()).hexdigest()
        with self._writing() as connection:
            newest = connection.execute(
                select(tables.plans.c.number, tables.plans.c.digest).order_by(tables.plans.c.number.desc()).limit(1)
            ).first()
            if newest is not None and newest.digest == digest:
                return int(newest.number)
            return _inserted(
                connection,
                tables.plans.insert().values(
                    digest=digest, recorded_at=_now(), path=str(path), text=text, content=dict(content)
                ),
            )

    def open_launch(self, variant: str, round_number: int) -> int:
        with self._writing() as connection:
            return _inserted(
                connection,
                tables.launches.insert().values(
                    variant=variant, round=round_number, rig=self._rig, started_at=_now(), about={}
                ),
            )

    def close_launch(self, number: int, load_s: float | None, error: str | None, about: Mapping[str, Any]) -> None:
        with self._writing() as connection:
            connection.execute(
                tables.launches.update()
                .where(tables.launches.c.number == number)
                .values(load_s=load_s, error=error, about=dict(about))
            )

    def log_path(self, launch: int) -> Path:
        return self.folder.log_path(launch)

    def making_path(self, launch: int, place: int) -> Path:
        return self.folder.making_path(launch, place)

    def keep_run(self, run: RunRecord, made: Path | None) -> int:
        """Keep a run in one transaction, its outputs first; it is safe when this returns."""
        kept: tuple[OutputFile, ...] = ()
        if made is not None:
            kept = self.folder.adopt(made, run.launch, run.place)
        with self._writing() as connection:
            number = _inserted(connection, tables.runs.insert().values(**_run_row(run)))
            connection.execute(tables.run_details.insert().values(run=number, **_details_row(run)))
            if kept:
                connection.execute(
                    tables.outputs.insert(),
                    [{"run": number, "path": file.path, "bytes": file.bytes, "digest": file.digest} for file in kept],
                )
            values = run.progress.values
            if values:
                connection.execute(
                    tables.measures.insert(),
                    [{"run": number, "name": value.name, "against": 0, "value": value.number, "unit": value.unit}
                     for value in values],
                )  # fmt: skip
        return number

    def void_slots(self, cell_keys: Iterable[str], reason: str) -> int:
        """Take every run of these cells out, with the reason; return how many. Nothing is deleted."""
        with self._writing() as connection:
            return connection.execute(
                tables.runs.update()
                .where(tables.runs.c.cell.in_(list(cell_keys)), tables.runs.c.voided.is_(None))
                .values(voided=reason)
            ).rowcount

    def add_measures(self, measured: Sequence[Measured]) -> None:
        """Keep measures that were worked out from outputs; ones that are there already are left."""
        if not measured:
            return
        rows = [
            {"run": m.run, "name": m.name, "against": m.against, "value": m.value, "unit": m.unit} for m in measured
        ]
        with self._writing() as connection:
            connection.execute(tables.measures.insert().prefix_with("OR IGNORE"), rows)

    # ---- reading ----

    def done(self, cells: Iterable[Cell]) -> set[Slot]:
        """Return the slots of these cells that a run has filled: with an outcome, begun at all, and not voided.

        A run that failed fills its slot only under the limits of today: with more time it might finish.
        """
        limits = {cell.key: dict(cell.variant.limits.as_mapping()) for cell in cells}
        runs = tables.runs.c
        query = (
            select(runs.cell, runs.round, runs.repeat, runs.status, tables.run_details.c.limits)
            .join(tables.run_details)
            .where(runs.status.in_(OUTCOMES), runs.place > 0, runs.warm_up.is_(False), runs.voided.is_(None))
        )
        with self._reading() as connection:
            return {
                Slot(cell_key=row.cell, round=row.round, repeat=row.repeat)
                for row in connection.execute(query)
                if row.cell in limits and (row.status == FINISHED or row.limits == limits[row.cell])
            }

    def newest_plan(self) -> PlanOnRecord | None:
        with self._reading() as connection:
            row = connection.execute(select(tables.plans).order_by(tables.plans.c.number.desc()).limit(1)).first()
        return PlanOnRecord(number=row.number, path=row.path, text=row.text, content=row.content) if row else None

    def runs(self) -> list[Row]:
        """Return every run, as rows of the table `runs`, in the order in which they were made."""
        with self._reading() as connection:
            return [
                dict(row._mapping) for row in connection.execute(select(tables.runs).order_by(tables.runs.c.number))
            ]

    def run(self, number: int) -> Row:
        """Return one run with its details; InputError where there is none of this number."""
        query = select(tables.runs, tables.run_details).join(tables.run_details).where(tables.runs.c.number == number)
        with self._reading() as connection:
            row = connection.execute(query).first()
            if row is None:
                last = connection.scalar(select(func.max(tables.runs.c.number)))
                raise InputError(f"there is no run {number}; the runs here are 1 to {last}" if last else
                                 "there are no runs here yet; make some with 'unvek run PLAN'")  # fmt: skip
        return {**row._mapping, "step_times_s": unpack_floats(row.step_times_s)}

    def launches(self) -> list[Row]:
        with self._reading() as connection:
            return [dict(row._mapping) for row in connection.execute(select(tables.launches))]

    def launch(self, number: int) -> Row:
        query = select(tables.launches, tables.rigs.c.facts).join(tables.rigs).where(tables.launches.c.number == number)
        with self._reading() as connection:
            return dict(connection.execute(query).one()._mapping)

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
        if run is not None:
            query = query.where(tables.outputs.c.run == run)
        with self._reading() as connection:
            return [dict(row._mapping) for row in connection.execute(query)]

    def measured(self, run: int | None = None) -> list[Measured]:
        """Return the measures of all runs, or of one."""
        query = select(tables.measures)
        if run is not None:
            query = query.where(tables.measures.c.run == run)
        with self._reading() as connection:
            return [Measured(**row._mapping) for row in connection.execute(query)]

    # ---- within ----

    @contextmanager
    def _writing(self) -> Iterator[Connection]:
        try:
            with self._engine.begin() as connection:
                yield connection
        except DatabaseError as error:
            if isinstance(error, IntegrityError):
                raise
            raise _told(self.folder.database, error) from error

    @contextmanager
    def _reading(self) -> Iterator[Connection]:
        try:
            with self._engine.connect() as connection:
                yield connection
        except DatabaseError as error:
            raise _told(self.folder.database, error) from error

    def _check_version(self) -> None:
        with self._reading() as connection:
            found = connection.scalar(select(tables.about.c.value).where(tables.about.c.key == "format_version"))
        if found is None or not found.isdecimal() or int(found) > tables.FORMAT_VERSION:
            raise LogbookError(f"{self.folder.path} has format {found}; this one knows up to {tables.FORMAT_VERSION}: "
                               "use the Unvek that made it, or a newer one")  # fmt: skip


def _sqlite(path: Path) -> Engine:
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": 30})

    @event.listens_for(engine, "connect")
    def set_durability(connection: Any, _: object) -> None:
        # Readers don't wait for the writer, and a transaction is on the disk when it is over.
        connection.execute("PRAGMA journal_mode=WAL")
        connection.execute("PRAGMA synchronous=FULL")
        connection.execute("PRAGMA foreign_keys=ON")

    return engine


def _run_row(run: RunRecord) -> dict[str, Any]:
    progress = run.progress
    steps = progress.step_times_s
    return {
        "cell": run.slot.cell_key,
        "launch": run.launch,
        "place": run.place,
        "variant": run.variant,
        "form": run.form,
        "task": run.task,
        "seed": run.seed,
        "round": run.slot.round,
        "repeat": run.slot.repeat,
        "warm_up": run.warm_up,
        "varied": {},
        "status": run.status,
        "error": run.error,
        "started_at": run.started_at,
        "time_s": progress.time_s,
        "first_s": progress.first_s,
        "steps": len(steps),
        "step_time_s": median(steps) if steps else None,
        "memory_peak_bytes": progress.memory_peak_bytes,
        "memory_device_bytes": progress.memory_device_bytes,
        "cpu_s": progress.cpu_s,
        "tokens": progress.tokens,
        "source": "measured",
    }


def _details_row(run: RunRecord) -> dict[str, Any]:
    return {
        "settings": dict(run.settings),
        "limits": dict(run.limits),
        "step_times_s": pack_floats(run.progress.step_times_s),
        "phases_s": dict(run.progress.phases_s),
        "faults": [list(fault) for fault in run.progress.faults],
        "provenance": dict(run.provenance),
        "exit_code": run.exit_code,
        "log_tail": run.log_tail,
        "text": run.progress.text,
    }


def _inserted(connection: Connection, insert: Any) -> int:
    key = connection.execute(insert).inserted_primary_key
    assert key is not None, "every table here numbers its rows"
    return int(key[0])


def _told(path: Path, error: DatabaseError) -> LogbookError:
    return LogbookError(f"the logbook {path} can't be used: {error.orig}. Nothing in it was changed; if it is damaged, "
                        "put a copy of it in its place")  # fmt: skip


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="milliseconds")
