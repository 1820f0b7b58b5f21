"""The machines of a team, drawn: one line each."""

from collections.abc import Mapping
from typing import Any

from rich.console import Console
from rich.text import Text

from unvek.core.findings.log.team import MachineLine, Team
from unvek.core.plain_text import clean
from unvek.core.units import duration_words
from unvek.show.terminal.console import faint
from unvek.show.terminal.figures import UNKNOWN, warning_text
from unvek.show.terminal.grid import Column, print_grid
from unvek.show.terminal.views import View

SILENT_S = 600.0  # a run may well take longer: then nothing is wrong, and nobody can know
JUST_S = 2.0
BAR = 16


def print_team(out: Console, found: Team) -> None:
    out.print(faint(clean(found.logbook)))
    out.print()
    if not found.rows:
        out.print("No machine has made runs into this logbook yet; 'unvek run' there is heard of here.")
        return
    print_grid(out, team_columns(found))
    silent = [row.machine for row in found.rows if _is_silent(row)]
    if silent:
        out.print()
        out.print(faint(clean(
            f"Not heard of for long, in the middle of it: {', '.join(silent)}. A run takes long there, or the machine "
            "is cut off or was stopped: what it has made comes when it is back."
        )))  # fmt: skip


def team_columns(found: Team) -> list[Column]:
    columns = {
        "machine": Column("machine", numeric=False, keep=9),
        "state": Column("at", numeric=False, keep=8),
        "far": Column("", numeric=False, keep=6, whole_name="how far"),
        "runs": Column("runs", keep=7),
        "failed": Column("failed", keep=6),
        "since": Column("since", numeric=False, keep=4),
        "heard": Column("heard of", numeric=False, keep=8),
        "title": Column("plan", numeric=False, keep=3),
        "session": Column("session", numeric=False, keep=2),
    }
    for row in found.rows:
        columns["machine"].add(clean(row.machine))
        columns["state"].add(_state(row))
        columns["far"].add(_bar(row))
        columns["runs"].add(f"{row.made} of {row.planned}")
        columns["failed"].add(warning_text(str(row.failed)) if row.failed else "0")
        columns["since"].add(duration_words(round(row.since_s)))
        heard = "just now" if row.heard_s < JUST_S else f"{duration_words(round(row.heard_s))} ago"
        columns["heard"].add(warning_text(heard) if _is_silent(row) else heard)
        columns["title"].add(clean(row.title))
        columns["session"].add(faint(clean(row.session)))
    return list(columns.values())


def _state(row: MachineLine) -> str | Text:
    if row.is_idle:
        return faint(row.state)
    return clean(f"{row.state} {row.variant}".strip() or UNKNOWN)


def _bar(row: MachineLine) -> Text:
    full = round(BAR * min(1.0, max(0.0, row.made / row.planned))) if row.planned else 0
    return Text.assemble(("━" * full, "bold"), ("─" * (BAR - full), "dim"))


def _is_silent(row: MachineLine) -> bool:
    return not row.is_idle and row.heard_s > SILENT_S


def team_records(found: Team) -> list[Mapping[str, Any]]:
    return [{name: getattr(row, name) for name in MachineLine.__slots__} for row in found.rows]


TEAM = View(print_team, team_columns, team_records)
