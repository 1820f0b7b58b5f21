"""unvek measure"""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from unvek.cli.options import as_option, logbook_option, open_logbook, selection_options, tell

if TYPE_CHECKING:
    from unvek.core.evidence.gathering import Selection


@click.command()
@click.argument("plan", type=click.Path(path_type=Path), required=False)
@click.option("--again", is_flag=True, help="Try again what came to no value before.")
@click.option("--wait", is_flag=True, help="Wait while runs are being made on this machine.")
@selection_options
@logbook_option
@as_option
def measure(plan: Path | None, again: bool, wait: bool, selection: "Selection", where: str | None, how: str) -> None:
    """Work out what PLAN measures of the outputs that are kept; say of which runs there is no value, and why.

    Measures that are new in PLAN, or others now, need no new runs: its [[measures]], [margins] and what its tasks want
    and expect are taken as they stand there; by default from the file whose runs these are. What is known is not worked
    out again, and what was worked out is kept as it comes: stopped, the same command goes on. All cores work at it, so
    that it never begins while runs are being made. An output that is not the file any more that its run made is not
    measured.

    'unvek run' does the same after its last run, and commands that show results do it first.

    \b
    Examples, in the demo's folder:
      unvek measure
      unvek measure plan.toml --only '*-bit' --as json
    """
    from unvek.cli.measured import measuring_shown
    from unvek.core.evidence.gathering import gather
    from unvek.core.session.measuring.plan_now import take_measures
    from unvek.core.session.measuring.working_out import measuring_of, work_out
    from unvek.show.results.measuring import MEASURING
    from unvek.show.terminal.views import put

    with open_logbook(where) as logbook:
        for words in take_measures(logbook, plan):
            tell(words)
        with measuring_shown(again=again, insists=True, waits=wait) as manner:
            worked = work_out(logbook, gather(logbook, selection), manner)
    put(measuring_of(worked), MEASURING, how)
