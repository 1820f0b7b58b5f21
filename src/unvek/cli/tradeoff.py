"""unvek tradeoff"""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from unvek.cli.asked import asked_options
from unvek.cli.measured import gather_evidence
from unvek.cli.options import as_option, check_plot, logbook_option, open_logbook, plot, plot_option, selection_options

if TYPE_CHECKING:
    from unvek.cli.asked import AskedWords
    from unvek.core.evidence.gathering import Selection


@click.command()
@asked_options
@plot_option("Draw it: a .png or .svg file.")
@selection_options
@logbook_option
@as_option
def tradeoff(
    asked: "AskedWords",
    plot_path: Path | None,
    selection: "Selection",
    where: str | None,
    how: str,
) -> None:
    """Say which variants are worth considering, what beats what, and which to pick.

    Counted are time, the plan's quality and memory, and what a run costs where that says more than its time. The pick
    is the fastest on the frontier, or the best in what is wished for, that meets every need and, unless a need or a
    wish speaks of the quality, stays close to the reference. Gains are counted in margins: with likeness=3 a margin of
    it is worth three of another wish. What an audit finds unfair, and failures, count against.

    \b
    Examples, in the demo's folder:
      unvek tradeoff
      unvek tradeoff --need "likeness >= 0.9" --need "time.total <= 100 ms"
      unvek tradeoff --wish time.total --wish likeness=3
      unvek tradeoff --on time.total --on likeness --on cost --plot frontier.png
    """
    from unvek.core.findings.tradeoff.tradeoff import trade_off
    from unvek.show.results.tradeoff import TRADEOFF
    from unvek.show.terminal.views import put

    check_plot(plot_path)
    with open_logbook(where) as logbook:
        evidence = gather_evidence(logbook, selection)
        found = trade_off(evidence, asked.of(evidence))
        if plot_path is not None:
            from unvek.show.picture.plots.frontier import draw_frontier

            plot(plot_path, draw_frontier, found)
        put(found, TRADEOFF, how)
