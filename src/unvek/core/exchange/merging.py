"""Another logbook into this one: nothing twice, sessions and machines kept apart, with what people said of it.

What is the same is told by ids, which no two logbooks give twice. All of a logbook comes in one transaction; outputs
are safe on the disk before it ends.
"""

import os
from collections.abc import Callable, Iterator
from dataclasses import dataclass, fields, replace
from hashlib import sha256
from pathlib import Path, PurePath

from sqlalchemy import Connection, select, update

from unvek.core.errors import InputError
from unvek.core.exchange.brought_sessions import rounds_had
from unvek.core.exchange.merged_verdicts import merge_verdicts
from unvek.core.held_folder import open_plain
from unvek.core.logbook import tables
from unvek.core.logbook.inserting import insert_all, next_number
from unvek.core.logbook.place import Place
from unvek.core.logbook.reading import batches
from unvek.core.logbook.rows import KeptRun, LaunchRow, OutputRow, SessionRow
from unvek.core.logbook.store import Logbook, Measurement, add_session, keep_measurements, note_rig
from unvek.core.run.outputs_room import ROOM

PIECE = 2**20  # bytes of an output
NOWHERE = PurePath("nowhere")
# What two rows of one run have alike: all but what is a logbook's own, and what people did with the run.
TOLD = tuple(one.name for one in fields(KeptRun) if one.name not in ("number", "voided", "cell", "rig"))


@dataclass(slots=True, kw_only=True)
class Merged:
    """What came of it. otherwise: runs that are here under the same id, and say something else there: left as here."""

    runs: int = 0
    known: int = 0
    otherwise: int = 0
    voided: int = 0
    notes: int = 0
    verdicts: int = 0
    lost_outputs: int = 0
    another_plan: bool = False


def merge(ours: Logbook, theirs: Logbook, tell: Callable[[str], None] | None = None) -> Merged:
    """Put what another logbook has into ours, which is locked; tell hears how far a long one is.

    InputError where it is the same logbook; LogbookError where the other is damaged, or holds what it can't.
    """
    if _is_same_place(ours.place, theirs.place):
        raise InputError(f"{theirs.name} is this very logbook")
    theirs.tell_if_damaged()  # what is wrong there is not to be wrong here, too
    merging = None
    try:
        with ours.bringing_in() as connection:
            merging = _Merging(ours, theirs, connection, tell)
            merging.all()
    except BaseException:
        if merging is not None:  # no run here has these outputs
            ours.folder.outputs.drop(merging.folders)
        raise
    return merging.merged


class _Merging:
    def __init__(self, ours: Logbook, theirs: Logbook, connection: Connection, tell: Callable[[str], None] | None):
        self._ours, self._theirs, self._connection, self._tell = ours, theirs, connection, tell
        self._sessions: dict[int, int] = {}  # numbers there, and here
        self._launches: dict[int, int] = {}
        self._shifts: dict[int, int] = {}  # by launch there: how many rounds later its round is here
        self.folders: list[str] = []  # of outputs that were copied
        self._runs: dict[int, int] = {}
        self._launches_there = theirs.launches()
        self.merged = Merged()

    def all(self) -> None:
        for fingerprint, facts in self._theirs.rigs().items():
            note_rig(self._connection, fingerprint, facts)
        self._bring_plan()
        self._bring_sessions()
        self._bring_launches()
        last = self._theirs.last_run()
        for trials in (False, True):
            for block in self._theirs.blocks_of_runs(last, trials):
                self._bring_runs(block)
        self._bring_measurements()
        self._bring_notes()
        self._bring_forecasts()
        if self._theirs.has_verdicts() or self._theirs.ballots():
            self.merged.verdicts = merge_verdicts(self._connection, self._theirs, self._runs)

    def _bring_plan(self) -> None:
        """Bring the newest plan where there is none; another one is told of: results go by the plan that is here."""
        plans = tables.plans
        newest = select(plans).order_by(plans.c.number.desc()).limit(1)
        mine = self._connection.execute(newest).first()
        with self._theirs.reading() as reading:
            other = reading.execute(newest).first()
        if mine is None and other is not None:
            self._connection.execute(plans.insert().values({**other._mapping, "number": 1}))
        elif mine is not None and other is not None:
            self.merged.another_plan = mine.digest != other.digest

    def _bring_sessions(self) -> None:
        """Bring the sessions that are not here; their rounds come behind those that these variants had."""
        sessions = tables.sessions
        known = {row.id: SessionRow(**row._mapping) for row in self._connection.execute(select(sessions))}
        variants = tuple({launch.variant for launch in self._launches_there})
        self._behind = rounds_had(self._connection, variants) if variants else 0
        self._shift_of_session: dict[int | None, int] = {None: self._behind}
        for session in self._theirs.sessions():
            here = known.get(session.id)
            if here is None:
                here = add_session(
                    self._connection, session.made_by, session.name, session.rig, id=session.id,
                    began_at=session.began_at, ended_at=session.ended_at, digest=session.digest,
                    rounds_before=session.rounds_before + self._behind,
                )  # fmt: skip
            elif here.ended_at is None and session.ended_at is not None:
                ended = update(sessions).where(sessions.c.number == here.number).values(ended_at=session.ended_at)
                self._connection.execute(ended)
            self._sessions[session.number] = here.number
            self._shift_of_session[session.number] = here.rounds_before - session.rounds_before

    def _bring_launches(self) -> None:
        launches = tables.launches
        known = {
            row.id: row
            for row in self._connection.execute(
                select(launches.c.id, launches.c.number, launches.c.round, launches.c.load_s, launches.c.error)
            )
        }
        number, new = next_number(self._connection, launches), []
        for launch in self._launches_there:
            here = known.get(launch.id)
            if here is not None:
                self._launches[launch.number], self._shifts[launch.number] = here.number, here.round - launch.round
                if here.load_s is None and here.error is None:
                    self._describe(launch, here.number)
                continue
            shift = self._shift_of_session[launch.session]
            session = self._sessions[launch.session] if launch.session is not None else None
            new.append(replace(launch, number=number, session=session, round=launch.round + shift))
            self._launches[launch.number], self._shifts[launch.number] = number, shift
            self._copy_log(launch.number, number)
            number += 1
        insert_all(self._connection, launches, new)

    def _describe(self, launch: LaunchRow, here: int) -> None:
        """Say of a launch that is here how it went, which is known there alone."""
        launches = tables.launches
        told = {"load_s": launch.load_s, "error": launch.error, "about": launch.about}
        self._connection.execute(update(launches).where(launches.c.number == here).values(**told))

    def _copy_log(self, number: int, here: int) -> None:
        """Copy what a launch has printed, where that is still there."""
        try:
            with os.fdopen(open_plain(self._theirs.folder.path / "logs" / f"L{number:05}.log"), "rb") as file:
                self._ours.folder.log_path(here).write_bytes(file.read())
        except OSError:
            return

    # ---- runs, with what they put out ----

    def _bring_runs(self, block: list[KeptRun]) -> None:
        known = self._ours.runs_with_ids([run.id for run in block], self._connection)
        first = number = next_number(self._connection, tables.runs)
        new: list[tuple[KeptRun, KeptRun]] = []
        for run in block:
            here = self._as_here(run, number)
            same = next((one for one in known.get(run.id, ()) if _is_same(one, here)), None)
            if same is not None:
                self._meet(run, same)
            elif run.id in known and run.voided is None:
                self._runs[run.number] = known[run.id][-1].number
                self.merged.otherwise += 1
            else:
                new.append((run, here))
                self._runs[run.number] = number
                number += 1
        insert_all(self._connection, tables.runs, (here for _, here in new))
        self._bring_details([run for run, _ in new])
        self._bring_outputs(new)
        self.merged.runs += len(new)
        if self._tell is not None and new and (number - 1) // 20_000 > (first - 1) // 20_000:
            self._tell(f"{self._theirs.name}: {self.merged.runs} runs...")

    def _as_here(self, run: KeptRun, number: int) -> KeptRun:
        there = run.launch
        return replace(run, number=number, launch=self._launches[there], round=run.round + self._shifts[there])

    def _meet(self, run: KeptRun, here: KeptRun) -> None:
        """A run that is here: it stays, and is out here, too, where it was taken out there."""
        self._runs[run.number] = here.number
        self.merged.known += 1
        if run.voided is not None and here.voided is None:
            runs = tables.runs
            change = update(runs).where(runs.c.number == here.number).values(voided=run.voided)
            self._connection.execute(change)
            self.merged.voided += 1

    def _bring_details(self, runs: list[KeptRun]) -> None:
        found = self._theirs.details_of([run.number for run in runs])
        details = (replace(one, run=self._runs[one.run]) for one in found)
        insert_all(self._connection, tables.run_details, details)

    def _bring_outputs(self, new: list[tuple[KeptRun, KeptRun]]) -> None:
        by_run: dict[int, list[OutputRow]] = {}
        for output in self._theirs.outputs_of([run.number for run, _ in new]):
            by_run.setdefault(output.run, []).append(output)
        number = next_number(self._connection, tables.outputs)
        rows = []
        for run, here in new:
            for output in self._copied(here, by_run.get(run.number, [])):
                rows.append(replace(output, number=number, run=here.number))
                number += 1
        insert_all(self._connection, tables.outputs, rows)

    def _copied(self, here: KeptRun, outputs: list[OutputRow]) -> Iterator[OutputRow]:
        """Copy a run's outputs, and yield their rows; one that is not as it was made is lost, and its row says what."""
        if not outputs:
            return
        making = self._ours.make_folder(here.launch, here.place)
        for output in outputs:
            if not self._copy(output, making.path):
                self.merged.lost_outputs += 1
        taken = {_within(file.path): file for file in self._ours.take_outputs(making, here).files}
        self.folders += {PurePath(file.path).parts[1] for file in taken.values()}
        for output in outputs:
            within = _within(output.path)
            kept = taken.get(within)
            yield replace(output, path=kept.path if kept is not None else f"{ROOM}/lost/{within}")

    def _copy(self, output: OutputRow, folder: Path) -> bool:
        """Copy one file, if it is still what the run made."""
        within = _within(output.path)
        if within == NOWHERE:
            return False
        try:
            fd = open_plain(self._theirs.files.find(output))
        except OSError:
            return False
        path, whole, left = folder / within, sha256(), output.bytes + 1
        path.parent.mkdir(parents=True, exist_ok=True)
        with os.fdopen(fd, "rb") as source, open(path, "wb") as target:
            while left > 0 and (piece := source.read(min(left, PIECE))):
                target.write(piece)
                whole.update(piece)
                left -= len(piece)
        if whole.hexdigest() == output.digest:
            return True
        path.unlink()
        return False

    # ---- what is known of runs ----

    def _bring_measurements(self) -> None:
        definitions = self._theirs.definitions()
        for some in batches(sorted(self._runs)):
            found = self._theirs.measurements_within(some[0], some[-1])
            here = [
                (row, definitions[row.definition])
                for row in found
                if row.run in self._runs and (row.against == 0 or row.against in self._runs)
            ]
            keep_measurements(
                self._connection,
                (
                    Measurement(
                        run=self._runs[row.run], name=definition.name, origin=definition.origin,
                        definition=definition.content, against=self._runs.get(row.against, 0), value=row.value,
                        why=row.why,
                    )
                    for row, definition in here
                ),
            )  # fmt: skip

    def _bring_notes(self) -> None:
        notes = tables.notes
        here = {(row.run, row.noted_at, row.text) for row in self._connection.execute(select(notes))}
        for run in self._theirs.noted_runs():
            for note in self._theirs.notes(run):
                key = (self._runs.get(run), note.noted_at, note.text)
                if key[0] is not None and key not in here:
                    self._connection.execute(notes.insert().values(run=key[0], noted_at=note.noted_at, text=note.text))
                    self.merged.notes += 1

    def _bring_forecasts(self) -> None:
        """Bring what was foreseen of whole sessions."""
        forecasts = tables.forecasts
        here = {(row.made_at, row.title, row.runs) for row in self._connection.execute(select(forecasts))}
        number = next_number(self._connection, forecasts)
        new = [one for one in self._theirs.forecasts() if (one.made_at, one.title, one.runs) not in here]
        insert_all(self._connection, forecasts, (replace(one, number=at) for at, one in enumerate(new, number)))


def _is_same_place(one: Place, other: Place) -> bool:
    if one.is_team or other.is_team:
        return one.name == other.name
    return one.folder.resolve() == other.folder.resolve()


def _within(path: str) -> PurePath:
    """Return where an output lies in its run's folder; NOWHERE for a path that leads anywhere else."""
    room, *parts = PurePath(path).parts or ("",)
    fits = room == ROOM and len(parts) > 1 and ".." not in parts
    return PurePath(*parts[1:]) if fits else NOWHERE


def _is_same(one: KeptRun, other: KeptRun) -> bool:
    """Whether two rows tell the same of a run: all but what is this logbook's own, and what people did with it."""
    return all(getattr(one, name) == getattr(other, name) for name in TOLD)
