"""unvek watch"""

from pathlib import Path

import click

from unvek.cli.options import logbook_option, open_logbook, tell


@click.command()
@click.option("--team", is_flag=True, help="What each machine of a team is at, a line a machine.")
@logbook_option
def watch(team: bool, where: str | None) -> None:
    """Watch what runs on this machine, from another terminal; or what all machines of a team are at.

    Where nothing runs yet it waits for a run to begin; when all is over the last state is left standing. Any
    number may watch at once: it costs the model nothing. In a pipe a line a run is printed.

    With --team a line a machine is drawn from the team's logbook, every two seconds until Ctrl-C; in a pipe once. It
    asks the database alone: no machine is disturbed. When one was heard of is by the server's clock.

    \b
    Keys: s skips this run, a stops after this run, p pauses between runs, l shows the log of this run, q quits.

    \b
    Examples:
      unvek watch
      unvek watch | grep failed
      unvek watch --team --logbook postgresql://nursery-server/painters
    """
    if team:
        _watch_team(where)
        return
    from unvek.core.errors import LogbookError
    from unvek.core.logbook.place import find_place, place_named
    from unvek.show.live.watching import watch_runs

    try:
        folder = (place_named(where) if where is not None else find_place(Path.cwd())).folder
    except LogbookError:
        folder = None
    watch_runs(folder, tell)


def _watch_team(where: str | None) -> None:
    """Show what the machines of a team are at: again and again where somebody looks, and else once."""
    from unvek.core.findings.log.team import team_at_work
    from unvek.show.live.live_view import draws
    from unvek.show.live.team_watching import watch_team
    from unvek.show.results.team import TEAM
    from unvek.show.terminal.views import put

    with open_logbook(where) as logbook:
        if draws():
            watch_team(lambda: team_at_work(logbook))
        else:
            put(team_at_work(logbook), TEAM, "table")
