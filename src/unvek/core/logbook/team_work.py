"""What machines of a team are at, in the team's database: told with what is written anyway, read by who watches.

When a machine was heard of is said by the server's clock, since clocks of machines differ.
"""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields, replace
from typing import Any

from sqlalchemy import Connection, Interval, cast, func, select

from unvek.core.logbook import tables
from unvek.core.logbook.verdicts_kept import VerdictsKept
from unvek.core.run.events.record import FAILURES, RunRecord

BEGINNING, LOADING, RUNNING, OVER, STOPPED = "beginning", "loading", "running", "over", "stopped"
IDLE = (OVER, STOPPED)


@dataclass(frozen=True, slots=True, kw_only=True)
class Work:
    """What a machine is at: runs made and failed of those planned in this session."""

    title: str
    session: str
    planned: int
    made: int = 0
    failed: int = 0
    state: str = BEGINNING
    variant: str = ""


_FIELDS = tuple(one.name for one in fields(Work))
# In plain words, since a run's end waits for it.
NOTE = (
    f"INSERT INTO at_work (rig, {', '.join(_FIELDS)}, begun_at, heard_at) "
    f"VALUES (%(rig)s, {', '.join(f'%({name})s' for name in _FIELDS)}, clock_timestamp(), clock_timestamp()) "
    f"ON CONFLICT (rig) DO UPDATE SET {', '.join(f'{name} = excluded.{name}' for name in (*_FIELDS, 'heard_at'))}"
)
NOTE_BEGINNING = f"{NOTE}, begun_at = excluded.begun_at"


@dataclass(frozen=True, slots=True, kw_only=True)
class MachineAtWork:
    """A machine of a team: what it is, what it is or was at, since when, and how long ago it was heard of."""

    rig: str
    facts: Mapping[str, Any]
    work: Work
    since_s: float
    heard_s: float


class WorkTold(VerdictsKept):
    """A logbook that tells what this machine is at, where others want to know."""

    rig = ""  # the fingerprint of the machine that the next launches are made on
    _work: Work | None = None

    def tell_work(self, work: Work) -> None:
        """Tell a team what this machine is at now, and with each launch and run from now on."""
        self._work = work
        with self._writing() as connection:
            self._note_work(connection, begins=True)

    def end_work(self, state: str) -> None:
        """Tell that this machine is at nothing any more."""
        with self._writing() as connection:
            self._note_work(connection, state=state)
        self._work = None

    def _note_work(self, connection: Connection, begins: bool = False, **changes: Any) -> None:
        if self._work is None:
            return
        self._work = replace(self._work, **changes)
        connection.exec_driver_sql(NOTE_BEGINNING if begins else NOTE, {"rig": self.rig, **asdict(self._work)})

    def _note_run_over(self, connection: Connection, run: RunRecord) -> None:
        if self._work is not None:
            counts = not run.start.warm_up
            made, failed = self._work.made + counts, self._work.failed + (counts and run.status in FAILURES)
            planned = max(self._work.planned, made)  # rounds may be added on the way
            self._note_work(
                connection, state=RUNNING, variant=run.start.variant, made=made, failed=failed, planned=planned
            )

    def machines_at_work(self) -> list[MachineAtWork]:
        """Return what each machine is at that was ever heard of, those heard of latest first."""
        at_work, now = tables.at_work, func.clock_timestamp()
        ages = [
            func.extract("epoch", cast(now - column, Interval)).label(name)
            for name, column in (("since_s", at_work.c.begun_at), ("heard_s", at_work.c.heard_at))
        ]
        query = (
            select(at_work, tables.rigs.c.facts, *ages)
            .join(tables.rigs, tables.rigs.c.fingerprint == at_work.c.rig)
            .order_by(at_work.c.heard_at.desc(), at_work.c.rig)
        )
        return [
            MachineAtWork(
                rig=row.rig, facts=row.facts, since_s=max(0.0, float(row.since_s)),
                heard_s=max(0.0, float(row.heard_s)),
                work=Work(**{name: row._mapping[name] for name in _FIELDS}),
            )
            for row in self._rows(query)
        ]  # fmt: skip
