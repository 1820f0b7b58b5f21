"""unvek check PLAN"""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from unvek.cli import EXIT_FAULT, EXIT_INPUT
from unvek.cli.options import as_option, logbook_option, plan_argument, tell

if TYPE_CHECKING:
    from unvek.core.session.checkup import Checkup


@click.command()
@plan_argument
@click.option("--one-step", is_flag=True, help="Load each variant, too, and have it make one step of the first task.")
@logbook_option
@as_option
def check(plan: Path, one_step: bool, where: str | None, how: str) -> None:
    """Say every error in PLAN, and the runs it would make. Nothing is run.

    PLAN is a TOML file; without one, plan.toml. Scripts are looked at, and not run. Exits 2 where there is an error.

    With --one-step each variant is loaded and makes one step, to see that it is wired up. These runs are kept apart, as
    those of 'unvek try' are. Exits 1 where one failed.

    \b
    Examples, in the demo's folder:
      unvek check
      unvek check --one-step
      unvek check plan.toml --as json
    """
    from unvek.core.session.checkup import check_plan
    from unvek.show.results.checkup import CHECKUP
    from unvek.show.terminal.views import put

    found = check_plan(plan, where, tell=tell)
    if one_step and found.ok:
        found = _with_first_steps(found, plan, where)
    put(found, CHECKUP, how)
    if not found.ok:
        click.get_current_context().exit(EXIT_INPUT)
    if not found.all_stepped:
        click.get_current_context().exit(EXIT_FAULT)


def _with_first_steps(found: "Checkup", path: Path, where: str | None) -> "Checkup":
    """Have each variant make a step; the steps go by on a terminal as those of a trial do."""
    from dataclasses import replace

    from unvek.cli.showing import shown
    from unvek.core.logbook.place import place_beside
    from unvek.core.plan.reading.plan import read_plan
    from unvek.core.session.first_steps import first_steps
    from unvek.core.session.workplace import RunOptions

    plan = read_plan(path)
    with shown(RunOptions()) as options:
        return replace(found, first_steps=first_steps(plan, place_beside(plan, where), options))
