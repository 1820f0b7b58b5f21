"""unvek show RUN"""

from pathlib import Path

import click

from unvek.cli.options import as_option, logbook_option, open_logbook, run_argument


@click.command()
@run_argument
@logbook_option
@as_option
def show(run: int, logbook_path: Path | None, how: str) -> None:
    """Show one RUN whole: its steps, phases, outputs, machine, and what it was made of.

    RUN is a number from 'unvek log'.

    \b
    Examples, in the demo's folder:
      unvek show 12
      unvek show 12 --as json
    """
    from unvek.core.findings.log.whole_run import whole_run
    from unvek.show.results.whole_run import RUN
    from unvek.show.terminal.views import put

    with open_logbook(logbook_path) as logbook:
        put(whole_run(logbook, run), RUN, how)
