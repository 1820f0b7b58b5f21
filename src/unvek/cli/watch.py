"""unvek watch"""

from pathlib import Path

import click

from unvek.cli.options import logbook_option, tell


@click.command()
@logbook_option
def watch(where: str | None) -> None:
    """Watch what runs on this machine, from another terminal.

    Where nothing runs yet it waits for a run to begin; when all is over the last state is left standing. Any
    number may watch at once: it costs the model nothing. In a pipe a line a run is printed.

    \b
    Keys: s skips this run, a stops after this run, p pauses between runs, l shows the log of this run, q quits.

    \b
    Examples:
      unvek watch
      unvek watch | grep failed
    """
    from unvek.core.errors import LogbookError
    from unvek.core.logbook.place import find_place, place_named
    from unvek.show.live.watching import watch_runs

    try:
        folder = (place_named(where) if where is not None else find_place(Path.cwd())).folder
    except LogbookError:
        folder = None
    watch_runs(folder, tell)
