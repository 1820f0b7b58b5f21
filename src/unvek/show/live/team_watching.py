"""Watching the machines of a team: drawn again every now and then, from the database, for as long as somebody looks."""

from collections.abc import Callable
from io import StringIO
from time import sleep

from rich.console import Console, Group
from rich.live import Live
from rich.text import Text

from unvek.core.errors import LogbookUnreachableError
from unvek.core.findings.log.team import Team
from unvek.show.results.team import print_team
from unvek.show.terminal.console import PlainConsole, console, faint

LOOK_EVERY_S = 2.0


def watch_team(look: Callable[[], Team]) -> None:
    """Show what `look` finds until Ctrl-C; where the logbook is out of reach for a while, what was seen last stands."""
    out = console()
    found = look()
    try:
        with Live(_drawn(out, found, ""), console=out, auto_refresh=False, screen=False) as live:
            while True:
                sleep(LOOK_EVERY_S)
                try:
                    found, said = look(), ""
                except LogbookUnreachableError as error:
                    said = str(error)
                live.update(_drawn(out, found, said), refresh=True)
    except KeyboardInterrupt:
        return


def _drawn(out: Console, found: Team, said: str) -> Group:
    aside = PlainConsole(
        file=StringIO(), width=out.width, force_terminal=True, color_system="truecolor", legacy_windows=False
    )
    print_team(aside, found)
    assert isinstance(aside.file, StringIO)
    drawn = Text.from_ansi(aside.file.getvalue().rstrip("\n"))
    return Group(drawn, faint(f"\n{said}" if said else "\nCtrl-C ends the watching"))
