"""unvek log"""

from pathlib import Path

import click

from unvek.cli.options import as_option, logbook_option, open_logbook


@click.command()
@logbook_option
@as_option
def log(logbook_path: Path | None, how: str) -> None:
    """List the runs, in the order in which they were made.

    \b
    Examples, in the demo's folder:
      unvek log
      unvek log --as csv > runs.csv
    """
    from unvek.core.findings.runs import list_runs
    from unvek.show.runs import RUNS
    from unvek.show.views import put

    with open_logbook(logbook_path) as logbook:
        put(list_runs(logbook), RUNS, how)
