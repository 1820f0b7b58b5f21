"""The logbook, written: a run at a time, each safe when it is over."""

import hashlib
import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, func, select

from unvek.core.errors import LogbookBusyError, LogbookError
from unvek.core.ids import new_id
from unvek.core.logbook import tables
from unvek.core.logbook.inserting import KEEP, REPLACE, insert_all, insert_new, next_number, now, words_of
from unvek.core.logbook.known_of_runs import OUTPUTS_PLACE
from unvek.core.logbook.plan_record import plan_as_json
from unvek.core.logbook.reading import batches
from unvek.core.logbook.rows import KeptRun, LaunchRow, MeasurementRow, OutputRow, RunDetails, SessionRow
from unvek.core.logbook.team_work import LOADING, WorkTold
from unvek.core.measures.definition import Definition
from unvek.core.plan.model import Plan
from unvek.core.rig.facts import NAME_VARIABLE
from unvek.core.run.events.record import LaunchAbout, RunRecord, RunStart
from unvek.core.run.outputs_room import Hide, MakingFolder, OutputFile, Taken

SESSION_AT = "%Y%m%d-%H%M%S"  # in the name of a session to which nobody gave one


@dataclass(frozen=True, slots=True, kw_only=True)
class Measurement:
    """A value of a measure of a run, with all that tells it apart; or why there is none."""

    run: int
    name: str
    origin: str
    definition: Definition
    against: int = 0
    value: float | None = None
    why: str | None = None


class Logbook(WorkTold):
    """An open logbook, with all that can be asked of it, and all that can be written into it."""

    session: int | None = None  # the number of the session that they are part of

    # ---- sessions, rigs, plans ----

    def record_rig(self, fingerprint: str, facts: Mapping[str, Any]) -> None:
        """Note the machine that the next launches are made on."""
        self.rig = fingerprint
        with self._writing() as connection:
            note_rig(connection, fingerprint, facts)

    @contextmanager
    def making_runs(self) -> Iterator[None]:
        """Hold it that the machine noted latest makes runs here; LogbookBusyError where one of its name does already.

        No two machines of one kind and name may: nothing would tell their runs apart.
        """
        try:
            with self._backend.holding(self.rig) as held:
                if not held:
                    raise LogbookBusyError(
                        f"a machine of this kind and name makes runs into {self.name} already; give this one another "
                        f"name, with {NAME_VARIABLE}=NAME"
                    )
                yield
        except self._failing as error:
            raise self._backend.told(error) from error

    def begin_session(self, made_by: str, name: str | None = None) -> SessionRow:
        """Begin a session on the machine noted latest: the next launches are part of it.

        A name that is taken already gets a number behind it; without one it is the command and the time of day.
        """
        with self._writing() as connection:
            session = add_session(connection, made_by, name, self.rig or None)
        self.session = session.number
        return session

    def end_session(self) -> None:
        if self.session is not None:
            with self._writing() as connection:
                sessions = tables.sessions
                connection.execute(sessions.update().where(sessions.c.number == self.session).values(ended_at=now()))
            self.session = None

    def record_plan(self, plan: Plan, cells: Sequence[str], weights_bytes: Mapping[str, int | None]) -> int:
        """Note the plan whose runs are made next; the newest plan is what findings speak of."""
        content = plan_as_json(plan, cells, weights_bytes)
        with self._writing() as connection:
            return keep_plan(connection, plan, content)

    # ---- what a plan's runs need (the engine's Keeper) ----

    def open_launch(self, variant: str, round_number: int) -> int:
        return self.begin_launch(variant, round_number).number

    def begin_launch(self, variant: str, round_number: int, **more: Any) -> LaunchRow:
        """Note that a process is about to be started; `more` are other fields of the launch."""
        with self._writing() as connection:
            self._note_work(connection, state=LOADING, variant=variant)
            return add_launch(connection, self.session, variant, round_number, self.rig, **more)

    def describe_launch(self, number: int, load_s: float | None, error: str | None, about: LaunchAbout) -> None:
        with self._writing() as connection:
            connection.execute(
                tables.launches.update()
                .where(tables.launches.c.number == number)
                .values(load_s=load_s, error=error, about=about)
            )

    @property
    def logs(self) -> int:
        return self.folder.logs.fd

    def log_path(self, launch: int) -> Path:
        return self.folder.log_path(launch)

    def make_folder(self, launch: int, place: int) -> MakingFolder:
        with self._telling_of_disk():
            return self.folder.outputs.make(launch, place)

    def take_outputs(self, made: MakingFolder, start: RunStart | KeptRun, hide: Hide | None = None) -> Taken:
        taken = self.take_outputs_here(made, start, hide)
        self.share_outputs(taken.files)
        return taken

    def take_outputs_here(self, made: MakingFolder, start: RunStart | KeptRun, hide: Hide | None = None) -> Taken:
        """Take what a run has put out, for this machine's folder alone."""
        with self._telling_of_disk():
            return self.folder.outputs.take(made, start.launch, start.place, hide)

    def share_outputs_at(self, url: str) -> None:
        """Have outputs be shared there from now on; LogbookError where they are shared in another place already."""
        with self._writing() as connection:
            about = tables.about
            connection.execute(insert_new(connection, about, KEEP).values(key=OUTPUTS_PLACE, value=url))
            found = connection.scalar(select(about.c.value).where(about.c.key == OUTPUTS_PLACE))
        vars(self).pop("files", None)
        if found != url:
            raise LogbookError(f"the outputs of {self.name} are at {found}, and not at {url}: say the same in the plan")

    def share_outputs(self, files: Sequence[OutputFile]) -> None:
        """Have outputs be where a team shares them, if it does; LogbookUnreachableError where that can't be now."""
        if self.files.store is not None:
            for file in files:
                self.files.put(self.folder.path / file.path, file.digest, file.bytes)

    def clear_unfinished(self) -> None:
        """Remove what runs that were killed had put out, before they were kept."""
        runs = tables.runs.c
        with self._reading() as connection:
            if self.place.is_team:  # whose newest launch may be another machine's
                launch = self.folder.outputs.newest_launch()
            else:
                launch = connection.scalar(select(func.max(tables.launches.c.number)))
            places = set(connection.scalars(select(runs.place).where(runs.launch == launch)))
        with self._telling_of_disk():
            self.folder.outputs.clear(launch or 0, places)

    def keep_run(self, run: RunRecord, outputs: Sequence[OutputFile] = (), id: str | None = None) -> int:
        """Keep a run in one transaction, with outputs that were taken; it is safe when this returns."""
        with self._writing() as connection:
            number = next_number(connection, tables.runs)
            insert_all(connection, tables.runs, [KeptRun.of(run, number, id or new_id())])
            insert_all(connection, tables.run_details, [RunDetails.of(run, number)])
            self._note_run_over(connection, run)
            first = next_number(connection, tables.outputs) if outputs else 0
            insert_all(
                connection,
                tables.outputs,
                (
                    OutputRow(number=place, run=number, path=file.path, bytes=file.bytes, digest=file.digest)
                    for place, file in enumerate(outputs, first)
                ),
            )
            values = (
                Measurement(
                    run=number, name=value.name, origin=value.origin, definition=value.definition, value=value.number
                )
                for value in run.progress.values
            )
            keep_measurements(connection, values)
        return number

    # ---- what people say of runs, and what is worked out of them ----

    def void_slots(self, cell_keys: Iterable[str], reason: str, rig: str | None = None) -> int:
        """Take every run of these cells out, with the reason; return how many. Nothing is deleted.

        rig: only those that were made on this machine.
        """
        runs, launches = tables.runs, tables.launches.c
        which = [runs.c.cell.in_(list(cell_keys)), runs.c.voided.is_(None)]
        if rig is not None:
            which.append(runs.c.launch.in_(select(launches.number).where(launches.rig == rig)))
        with self._writing() as connection:
            return connection.execute(runs.update().where(*which).values(voided=reason)).rowcount

    def void_runs(self, numbers: Sequence[int], reason: str) -> None:
        """Take these runs out, with the reason."""
        with self._writing() as connection:
            for some in batches(numbers):
                connection.execute(tables.runs.update().where(tables.runs.c.number.in_(some)).values(voided=reason))

    def keep_measurements(self, measured: Iterable[Measurement], anew: bool = False) -> None:
        """Keep what was worked out from outputs; what is there already under the same identity is left, or replaced."""
        with self._writing() as connection:
            keep_measurements(connection, measured, anew)

    def note_run(self, run: int, text: str) -> None:
        """Keep a remark on a run; InputError where there is no such run."""
        self.run(run)
        with self._writing() as connection:
            connection.execute(tables.notes.insert().values(run=run, noted_at=now(), text=text))

    def void_run(self, run: int, reason: str | None) -> None:
        """Take a run out, with the reason; None takes it in again. InputError where there is no such run."""
        self.run(run)
        with self._writing() as connection:
            connection.execute(tables.runs.update().where(tables.runs.c.number == run).values(voided=reason))

    def record_forecast(self, title: str, runs: int, low_s: float, high_s: float) -> int:
        """Note how long so many runs are to take together, and return the forecast's number."""
        with self._writing() as connection:
            number = next_number(connection, tables.forecasts)
            connection.execute(
                tables.forecasts.insert().values(
                    number=number, made_at=now(), title=title, runs=runs, low_s=low_s, high_s=high_s
                )
            )
        return number

    def close_forecast(self, number: int, took_s: float) -> None:
        """Note how long it took, once all of it was made in one go."""
        with self._writing() as connection:
            connection.execute(
                tables.forecasts.update().where(tables.forecasts.c.number == number).values(took_s=took_s)
            )

    @staticmethod
    def runs_with_ids(ids: Sequence[str], connection: Connection) -> dict[str, list[KeptRun]]:
        """Return the runs of these ids as a transaction sees them, by id; the one that counts last."""
        runs = tables.runs
        found: dict[str, list[KeptRun]] = {}
        for some in batches(ids):
            query = select(runs).where(runs.c.id.in_(some)).order_by(runs.c.voided.is_(None), runs.c.number)
            for row in connection.execute(query):
                found.setdefault(row.id, []).append(KeptRun(**row._mapping))
        return found

    @contextmanager
    def bringing_in(self) -> Iterator[Connection]:
        """Hold one transaction for all that an import brings: whatever is raised meanwhile, nothing of it is kept."""
        with self._writing() as connection:
            yield connection


# ---- steps within a transaction, which writing a run and bringing runs in share ----


def add_session(connection: Connection, made_by: str, name: str | None, rig: str | None, **more: Any) -> SessionRow:
    """Add a session under a name that no other has; `more` are its other fields."""
    began = datetime.now(UTC)
    session = SessionRow(
        number=next_number(connection, tables.sessions),
        name=_free_name(connection, name or f"{made_by}-{began.strftime(SESSION_AT)}"),
        made_by=made_by,
        rig=rig,
        **{"id": new_id(), "began_at": words_of(began), **more},
    )
    insert_all(connection, tables.sessions, [session])
    return session


def add_launch(
    connection: Connection, session: int | None, variant: str, round_number: int, rig: str, **more: Any
) -> LaunchRow:
    """Add a launch; `more` are its other fields."""
    launch = LaunchRow(
        session=session, variant=variant, round=round_number, rig=rig,
        **{"number": next_number(connection, tables.launches), "id": new_id(), "started_at": now(), **more},
    )  # fmt: skip
    insert_all(connection, tables.launches, [launch])
    return launch


def _free_name(connection: Connection, name: str) -> str:
    taken = set(connection.scalars(select(tables.sessions.c.name).where(tables.sessions.c.name.startswith(name))))
    found, number = name, 1
    while found in taken:
        number += 1
        found = f"{name}-{number}"
    return found


def keep_plan(connection: Connection, plan: Plan, content: Mapping[str, Any]) -> int:
    """Keep a plan as JSON, unless it is the newest already, and return its number."""
    digest = hashlib.sha256(json.dumps([plan.text, content], sort_keys=True).encode()).hexdigest()
    plans = tables.plans
    newest = connection.execute(select(plans.c.number, plans.c.digest).order_by(plans.c.number.desc()).limit(1)).first()
    if newest is not None and newest.digest == digest:
        return int(newest.number)
    number = next_number(connection, plans)
    connection.execute(
        plans.insert().values(
            number=number, digest=digest, recorded_at=now(), path=str(plan.path), text=plan.text, content=content
        )
    )
    return number


def note_rig(connection: Connection, fingerprint: str, facts: Mapping[str, Any]) -> None:
    known = select(tables.rigs.c.fingerprint).where(tables.rigs.c.fingerprint == fingerprint)
    if connection.scalar(known) is None:
        connection.execute(tables.rigs.insert().values(fingerprint=fingerprint, facts=dict(facts)))


def keep_measurements(connection: Connection, measured: Iterable[Measurement], anew: bool = False) -> None:
    numbers: dict[tuple[str, str, str], int] = {}
    found = []
    for one in measured:
        key = (one.name, one.definition.digest, one.origin)
        if key not in numbers:
            numbers[key] = _definition(connection, *key, one.definition)
        found.append(
            MeasurementRow(run=one.run, definition=numbers[key], against=one.against, value=one.value, why=one.why)
        )
    insert_all(connection, tables.measurements, found, REPLACE if anew else KEEP)


def _definition(connection: Connection, name: str, digest: str, origin: str, definition: Definition) -> int:
    """Return the number of a measure as its values were come by, which gets one where it has none yet."""
    known = tables.definitions.c
    query = select(known.number).where(known.name == name, known.digest == digest, known.origin == origin)
    number = connection.scalar(query)
    if number is None:
        number = next_number(connection, tables.definitions)
        connection.execute(
            tables.definitions.insert().values(
                number=number, digest=digest, name=name, origin=origin, content=definition
            )
        )
    return int(number)
