"""unvek show RUN"""

from pathlib import Path

import click

from unvek.cli.options import as_option, check_plot, logbook_option, open_logbook, plot, plot_option, run_argument


@click.command()
@run_argument
@plot_option("Draw its steps and memory: a .png or .svg file.")
@logbook_option
@as_option
def show(run: int, plot_path: Path | None, where: str | None, how: str) -> None:
    """Show one RUN whole: its steps, phases, outputs, machine, and what it was made of.

    RUN is a number from 'unvek log'.

    \b
    Examples, in the demo's folder:
      unvek show 12
      unvek show 12 --as json
      unvek show 12 --plot run.png
    """
    from unvek.core.findings.log.whole_run import whole_run
    from unvek.show.results.whole_run import RUN
    from unvek.show.terminal.views import put

    check_plot(plot_path)
    with open_logbook(where) as logbook:
        found = whole_run(logbook, run)
        if plot_path is not None:
            from unvek.show.picture.plots.times import draw_run

            plot(plot_path, draw_run, found)
        put(found, RUN, how)
