"""unvek check PLAN"""

from pathlib import Path

import click

from unvek.cli import EXIT_INPUT
from unvek.cli.options import as_option, logbook_option, plan_argument, tell


@click.command()
@plan_argument
@logbook_option
@as_option
def check(plan: Path, logbook_path: Path | None, how: str) -> None:
    """Say every error in PLAN, and the runs it would make. Nothing is run.

    PLAN is a TOML file; without one, plan.toml. Exits 2 where there is an error.

    \b
    Examples, in the demo's folder:
      unvek check
      unvek check plan.toml --as json
    """
    from unvek.core.session.checkup import check_plan
    from unvek.show.results.checkup import CHECKUP
    from unvek.show.terminal.views import put

    found = check_plan(plan, logbook_path, tell=tell)
    put(found, CHECKUP, how)
    if not found.ok:
        click.get_current_context().exit(EXIT_INPUT)
