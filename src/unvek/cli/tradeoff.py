"""unvek tradeoff"""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from unvek.cli.measured import gather_evidence
from unvek.cli.options import as_option, logbook_option, open_logbook, selection_options

if TYPE_CHECKING:
    from unvek.core.evidence.gathering import Selection


@click.command()
@click.option("--need", "needs", multiple=True, metavar="NEED", help='What the pick must keep: "memory.peak <= 8 GiB".')
@selection_options
@logbook_option
@as_option
def tradeoff(
    needs: tuple[str, ...],
    selection: "Selection",
    logbook_path: Path | None,
    how: str,
) -> None:
    """Say which variants are worth considering, what beats what, and which to pick.

    Counted are time, the plan's quality and memory. The pick is the fastest on the frontier that meets every need
    and, unless a need speaks of the quality, stays close to the reference.

    \b
    Examples, in the demo's folder:
      unvek tradeoff
      unvek tradeoff --need "likeness >= 0.9" --need "time.total <= 100 ms"
    """
    from unvek.core.findings.tradeoff.needs import parse_need
    from unvek.core.findings.tradeoff.tradeoff import trade_off
    from unvek.show.results.tradeoff import TRADEOFF
    from unvek.show.terminal.views import put

    with open_logbook(logbook_path) as logbook:
        evidence = gather_evidence(logbook, selection)
        put(trade_off(evidence, [parse_need(need, evidence) for need in needs]), TRADEOFF, how)
