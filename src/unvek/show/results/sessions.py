"""The sessions, drawn: one line each."""

from collections.abc import Mapping
from typing import Any

from rich.console import Console
from rich.text import Text

from unvek.core.findings.log.sessions import SessionLine, SessionList
from unvek.core.plain_text import clean
from unvek.core.units import counted
from unvek.show.terminal.console import faint
from unvek.show.terminal.figures import UNKNOWN, warning_text
from unvek.show.terminal.grid import Column, print_grid
from unvek.show.terminal.views import View


def print_sessions(out: Console, found: SessionList) -> None:
    if found.rows:
        print_grid(out, session_columns(found))
    else:
        out.print("There are no sessions here yet; 'unvek run PLAN' and 'unvek import FILE' make them.")
    if found.earlier:
        out.print()
        out.print(faint(f"{counted(found.earlier, 'run')} made before sessions were kept."))


def session_columns(found: SessionList) -> list[Column]:
    columns = {
        "session": Column("session", numeric=False, keep=9),
        "by": Column("made by", numeric=False, keep=6),
        "began": Column("began, UTC", numeric=False, keep=8),
        "ended": Column("ended", numeric=False, keep=4),
        "launches": Column("launches", keep=3),
        "runs": Column("runs", keep=7),
        "machine": Column("machine", numeric=False, keep=2),
    }
    for row in found.rows:
        columns["session"].add(clean(row.session))
        columns["by"].add(clean(row.made_by))
        columns["began"].add(_moment(row.began))
        columns["ended"].add(_ended(row))
        columns["launches"].add(str(row.launches))
        columns["runs"].add(str(row.runs))
        columns["machine"].add(faint(clean(row.machine or UNKNOWN)))
    return list(columns.values())


def _moment(moment: str) -> str:
    return clean(moment.partition(".")[0].replace("T", " "))


def _ended(row: SessionLine) -> Text:
    """When it ended: the time of day alone where that was on the day on which it began."""
    if row.ended is None:
        return warning_text("no end")
    began, ended = _moment(row.began), _moment(row.ended)
    return Text(ended.partition(" ")[2] if ended[:10] == began[:10] else ended)


def session_records(found: SessionList) -> list[Mapping[str, Any]]:
    return [{name: getattr(row, name) for name in SessionLine.__slots__} for row in found.rows]


SESSIONS = View(print_sessions, session_columns, session_records)
