"""What the machines of a team are at: one line each, from what they have told their logbook."""

from dataclasses import dataclass
from typing import ClassVar

from unvek.core.errors import InputError
from unvek.core.logbook.store import Logbook
from unvek.core.logbook.team_work import IDLE
from unvek.core.rig.facts import rig_words


@dataclass(frozen=True, slots=True, kw_only=True)
class MachineLine:
    """A machine: what it makes or made last, how far it is, since when, and how long ago it was heard of.

    state: beginning, loading, running, over or stopped. Times are by the clock of the server.
    """

    machine: str
    rig: str
    words: str
    title: str
    session: str
    state: str
    variant: str
    made: int
    planned: int
    failed: int
    since_s: float
    heard_s: float

    @property
    def is_idle(self) -> bool:
        return self.state in IDLE


@dataclass(frozen=True, slots=True, kw_only=True)
class Team:
    """The machines that were ever heard of, those heard of latest first."""

    kind: ClassVar[str] = "team"
    logbook: str
    rows: tuple[MachineLine, ...]


def team_at_work(logbook: Logbook) -> Team:
    """Return what each machine is at; InputError where the logbook is no team's."""
    if not logbook.place.is_team:
        raise InputError(
            f"{logbook.name} is a folder of one machine: 'unvek watch' shows what runs on it. A team's logbook is in a "
            "database ('unvek help team')"
        )
    return Team(
        logbook=logbook.name,
        rows=tuple(
            MachineLine(
                machine=str(one.facts.get("name") or one.rig[:8]), rig=one.rig, words=rig_words(one.facts),
                title=one.work.title, session=one.work.session, state=one.work.state, variant=one.work.variant,
                made=one.work.made, planned=one.work.planned, failed=one.work.failed, since_s=one.since_s,
                heard_s=one.heard_s,
            )
            for one in logbook.machines_at_work()
        ),
    )  # fmt: skip
