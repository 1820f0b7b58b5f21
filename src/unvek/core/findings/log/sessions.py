"""The sessions in which runs were made, tried or brought in: one line each."""

from collections import Counter
from dataclasses import dataclass
from typing import ClassVar

from unvek.core.logbook.store import Logbook
from unvek.core.rig.facts import rig_words


@dataclass(frozen=True, slots=True, kw_only=True)
class SessionLine:
    """One `run`, `try` or `import`. ended is None where it goes on, or was killed."""

    session: str
    id: str
    made_by: str
    began: str
    ended: str | None
    rig: str | None
    machine: str | None
    launches: int
    runs: int


@dataclass(frozen=True, slots=True, kw_only=True)
class SessionList:
    """The sessions in the order in which they began; `earlier` runs were made before there were any."""

    kind: ClassVar[str] = "sessions"
    rows: tuple[SessionLine, ...]
    earlier: int


def list_sessions(logbook: Logbook) -> SessionList:
    launches, runs = Counter(logbook.sessions_of_launches().values()), logbook.count_by_session()
    rigs = logbook.rigs()
    return SessionList(
        rows=tuple(
            SessionLine(
                session=session.name, id=session.id, made_by=session.made_by, began=session.began_at,
                ended=session.ended_at, rig=session.rig,
                machine=rig_words(rigs[session.rig]) if session.rig is not None else None,
                launches=launches[session.number], runs=runs[session.number],
            )
            for session in logbook.sessions()
        ),
        earlier=runs[None],
    )  # fmt: skip
