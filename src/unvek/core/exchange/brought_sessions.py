"""The sessions and launches that brought runs are part of: those that are here already, and new ones."""

from collections.abc import Mapping
from typing import Any

from sqlalchemy import Connection, func, select, update

from unvek.core.exchange.columns import BroughtRun
from unvek.core.ids import new_id
from unvek.core.logbook import tables
from unvek.core.logbook.inserting import now
from unvek.core.logbook.rows import SessionRow
from unvek.core.logbook.store import Logbook, add_launch, add_session, note_rig
from unvek.core.rig.facts import elsewhere
from unvek.core.run.events.record import LaunchAbout

IMPORT = "import"  # what a session was made by
Rig = tuple[str, Mapping[str, Any]]  # fingerprint and facts


class Sessions:
    """Finds a run's session by its id or name, or begins one."""

    def __init__(self, logbook: Logbook, connection: Connection, name: str | None, rig: Rig, digest: str):
        """name and rig: of runs that say nothing of theirs; digest: of the file."""
        self._connection = connection
        self._name, self._rig, self._digest = name, rig, digest
        self._known = {key: session for session in logbook.sessions() for key in (session.id, session.name)}
        self._found: dict[tuple[str | None, str | None], SessionRow] = {}
        self._new: list[int] = []
        self.first: SessionRow | None = None

    def of(self, run: BroughtRun) -> SessionRow:
        identity, name = run.beside.get("session_id"), run.beside.get("session") or self._name
        key = (identity, name)
        if key not in self._found:
            known = self._known.get(identity if identity is not None else name or "")
            self._found[key] = known if known is not None else self._begun(run, identity, name)
            self.first = self.first or self._found[key]
        return self._found[key]

    def rig_of(self, run: BroughtRun) -> Rig:
        """Return the machine that a run was made on: as it says, or as whoever brings it says."""
        fingerprint = run.beside.get("machine")
        if fingerprint is None or fingerprint == self._rig[0]:
            return self._rig
        return fingerprint, run.beside.get("machine_facts") or elsewhere()[1]

    def _begun(self, run: BroughtRun, identity: str | None, name: str | None) -> SessionRow:
        rig, facts = self.rig_of(run)
        note_rig(self._connection, rig, facts)
        more: dict[str, Any] = {"ended_at": now(), "digest": self._digest}
        if identity is not None:
            more["id"] = identity
        if "started" in run.beside:
            more["began_at"] = run.beside["started"]
        session = add_session(self._connection, IMPORT, name, rig, **more)
        self._new.append(session.number)
        return session

    def put_rounds_behind(self, first: int, variants: tuple[str, ...]) -> None:
        """Count the rounds of new sessions on from those that these variants had before the run numbered `first`.

        Where the file has sessions too that were here already, its rounds are counted as theirs were.
        """
        launches, sessions, runs = tables.launches, tables.sessions, tables.runs
        met = [session.rounds_before for session in self._found.values() if session.number not in self._new]
        if not self._new:
            return
        before = max(met) if met else rounds_had(self._connection, variants, first)
        if before:
            ours = select(launches.c.number).where(launches.c.session.in_(self._new))
            for change in (
                update(runs).where(runs.c.launch.in_(ours)).values(round=runs.c.round + before),
                update(launches).where(launches.c.session.in_(self._new)).values(round=launches.c.round + before),
                update(sessions).where(sessions.c.number.in_(self._new)).values(rounds_before=before),
            ):
                self._connection.execute(change)


def rounds_had(connection: Connection, variants: tuple[str, ...], before_run: int | None = None) -> int:
    """Return the last round that any of these variants has had, in runs that count, of those before this number."""
    runs = tables.runs.c
    query = select(func.max(runs.round)).where(runs.variant.in_(variants), runs.voided.is_(None), runs.trial.is_(False))
    return connection.scalar(query if before_run is None else query.where(runs.number < before_run)) or 0


class Launches:
    """Finds a run's launch by its id, or by its session, machine, variant and round; or opens one."""

    def __init__(self, logbook: Logbook, connection: Connection, sessions: Sessions):
        self._connection, self._sessions = connection, sessions
        known = logbook.launches()
        self._by_id = {launch.id: launch.number for launch in known}
        self._by_round = {
            (launch.session, launch.rig, launch.variant, launch.round): launch.number
            for launch in known
            if launch.session is not None
        }
        self._places: dict[int, int] = {}

    def of(self, run: BroughtRun, round_number: int) -> tuple[int, int]:
        """Return (launch, place within it)."""
        session, (rig, facts) = self._sessions.of(run), self._sessions.rig_of(run)
        variant, identity = run.own["variant"], run.beside.get("launch_id")
        by_round = (session.number, rig, variant, round_number)
        number = self._by_id.get(identity) if identity is not None else self._by_round.get(by_round)
        if number is None:
            note_rig(self._connection, rig, facts)
            launch = add_launch(
                self._connection, session.number, variant, round_number, rig, id=identity or new_id(),
                started_at=run.beside.get("started") or now(), load_s=run.load_s,
                about=LaunchAbout(memory_before_bytes=run.before_bytes),
            )  # fmt: skip
            number = launch.number
            self._by_id[launch.id] = number
            if identity is None:
                self._by_round[by_round] = number
        return number, self._place(number, run)

    def _place(self, launch: int, run: BroughtRun) -> int:
        """Place 1 is the cold run of a process: of a timing it is only known where it is said, or is a warm-up."""
        if "place" in run.own:
            return int(run.own["place"])
        if launch not in self._places:
            query = select(func.max(tables.runs.c.place)).where(tables.runs.c.launch == launch)
            self._places[launch] = self._connection.scalar(query) or (0 if run.own.get("warm_up") else 1)
        self._places[launch] += 1
        return self._places[launch]
