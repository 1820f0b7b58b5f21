"""unvek judge tally"""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from unvek.cli.options import as_option, check_plot, logbook_option, open_logbook, plot, plot_option, selection_options

if TYPE_CHECKING:
    from unvek.core.evidence.gathering import Selection


@click.command()
@plot_option("Draw it: a .png or .svg file.")
@selection_options
@logbook_option
@as_option
def tally(plot_path: Path | None, selection: "Selection", where: str | None, how: str) -> None:
    """Say what the verdicts come to: who is preferred to whom, how sure that is, and how far to believe the judges.

    People are taken together, and each model that judges is taken apart. What a judge has for one side is estimated and
    left out of the ratings; intervals are over tasks, since it is of other tasks that one wants to know.

    \b
    Examples, in the demo's folder:
      unvek judge tally
      unvek judge tally --plot tally.png
      unvek judge tally --only 'swift*' --as json
    """
    from unvek.core.evidence.gathering import gather
    from unvek.core.findings.tally.tally import tally as tally_of
    from unvek.show.results.tally import TALLY
    from unvek.show.terminal.views import put

    check_plot(plot_path)
    with open_logbook(where) as logbook:
        found = tally_of(logbook, gather(logbook, selection))
        if plot_path is not None:
            from unvek.show.picture.plots.strips import draw_tally

            plot(plot_path, draw_tally, found)
        put(found, TALLY, how)
