"""unvek curve SETTING"""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from unvek.cli.measured import gather_evidence
from unvek.cli.options import as_option, check_plot, logbook_option, open_logbook, plot, plot_option, selection_options

if TYPE_CHECKING:
    from unvek.core.evidence.gathering import Selection


@click.command()
@click.argument("setting")
@click.option("--measure", metavar="NAME", help="The measure: time.total if not given.")
@plot_option("Draw it: a .png or .svg file.")
@selection_options
@logbook_option
@as_option
def curve(
    setting: str,
    measure: str | None,
    plot_path: Path | None,
    selection: "Selection",
    where: str | None,
    how: str,
) -> None:
    """Show how a measure answers to SETTING: points with intervals, fits, and where more stops paying.

    SETTING is what the plan varies (steps, clients), a number about the tasks (things), or a setting that variants or
    tasks differ in. 'position' goes along the runs themselves: do steps or tokens slow down, does memory grow?

    \b
    Examples, in the demo's folder:
      unvek run steps.toml --logbook steps
      unvek curve steps --measure likeness --logbook steps --plot steps.png
      unvek curve position
    """
    from unvek.core.findings.curve.along import POSITION, curve_along
    from unvek.core.findings.curve.curve import curve as curve_over
    from unvek.core.measures.catalogue import TIME
    from unvek.show.results.curve import CURVE
    from unvek.show.terminal.views import put

    check_plot(plot_path)
    with open_logbook(where) as logbook:
        evidence = gather_evidence(logbook, selection)
        if setting == POSITION:
            found = curve_along(logbook, evidence, measure)
        else:
            found = curve_over(evidence, setting, measure or TIME)
    if plot_path is not None:
        from unvek.show.picture.plots.curve import draw_curve

        plot(plot_path, draw_curve, found)
    put(found, CURVE, how)
