"""unvek compare"""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from unvek.cli.options import as_option, gather_evidence, logbook_option, open_logbook, selection_options

if TYPE_CHECKING:
    from unvek.core.evidence.gathering import Selection


@click.command()
@click.option("--measure", "measures", multiple=True, metavar="NAME", help="Compare this measure; may be given again.")
@click.option("--cold", is_flag=True, help="With the load of each process and its cold, first run.")
@selection_options
@logbook_option
@as_option
def compare(measures: tuple[str, ...], cold: bool, selection: "Selection", logbook_path: Path | None, how: str) -> None:
    """Hold the variants against the reference: time, steps, memory, failures, quality.

    Ratios are paired by launch and item, with a 95 % interval over launches; those of scores over items, where that
    is wider. The answer is faster, slower (better, worse), same (within 2 %) or unclear. A raised number points to a
    doubt about that variant, under the table.

    \b
    Examples, in the demo's folder:
      unvek compare
      unvek compare --only '*-bit' --reference half
      unvek compare --measure memory.peak --measure likeness
    """
    from unvek.core.findings.comparison.comparison import compare as compare_variants
    from unvek.show.results.comparison import COMPARISON, WITH_COLD
    from unvek.show.terminal.views import put

    with open_logbook(logbook_path) as logbook:
        evidence = gather_evidence(logbook, selection)
        found = compare_variants(evidence, logbook.rig_of_runs(evidence.runs.rows.column("number")), measures)
        put(found, WITH_COLD if cold else COMPARISON, how)
