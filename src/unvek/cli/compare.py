"""unvek compare"""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from unvek.cli.measured import gather_evidence, measuring_shown
from unvek.cli.options import as_option, check_plot, logbook_option, open_logbook, plot_option, selection_options, tell

if TYPE_CHECKING:
    from unvek.core.evidence.gathering import Selection


@click.command()
@click.option("--measure", "measures", multiple=True, metavar="NAME", help="Compare this measure; may be given again.")
@click.option("--matrix", metavar="MEASURE", help="How alike every two variants are, by this likeness.")
@plot_option("Draw the matrix: a .png or .svg file.")
@click.option("--cold", is_flag=True, help="With the load of each process and its cold, first run.")
@selection_options
@logbook_option
@as_option
def compare(
    measures: tuple[str, ...], matrix: str | None, plot_path: Path | None, cold: bool, selection: "Selection",
    logbook_path: Path | None, how: str,
) -> None:  # fmt: skip
    """Hold the variants against the reference: time, steps, memory, failures, quality.

    Ratios are paired by launch and item, with a 95 % interval over launches; those of scores over items, where that
    is wider. The answer is faster, slower (better, worse), same (within 2 %) or unclear. A raised number points to a
    doubt about that variant, under the table.

    \b
    Examples, in the demo's folder:
      unvek compare
      unvek compare --only '*-bit' --reference half
      unvek compare --measure memory.peak --measure likeness
      unvek compare --matrix likeness --plot matrix.png
    """
    if matrix is not None:
        _compare_all(matrix, plot_path, selection, logbook_path, how)
        return
    if plot_path is not None:
        raise click.UsageError("--plot draws a matrix: add --matrix MEASURE")
    from unvek.core.findings.comparison.comparison import compare as compare_variants
    from unvek.show.results.comparison import COMPARISON, WITH_COLD
    from unvek.show.terminal.views import put

    with open_logbook(logbook_path) as logbook:
        evidence = gather_evidence(logbook, selection)
        found = compare_variants(evidence, logbook.rig_of_runs(evidence.runs.rows.column("number")), measures)
        put(found, WITH_COLD if cold else COMPARISON, how)


def _compare_all(
    measure: str, plot_path: Path | None, selection: "Selection", logbook_path: Path | None, how: str
) -> None:
    """Hold every two variants against each other."""
    from unvek.core.findings.resemblance import check_matrix, resemblance
    from unvek.core.session.measuring.between_variants import work_out_between
    from unvek.show.results.resemblance import RESEMBLANCE
    from unvek.show.terminal.views import put

    check_plot(plot_path)
    with open_logbook(logbook_path) as logbook:
        evidence = gather_evidence(logbook, selection)
        check_matrix(evidence, measure)
        with measuring_shown() as manner:
            evidence = work_out_between(logbook, evidence, measure, manner)
        found = resemblance(evidence, measure)
    if plot_path is not None:
        from unvek.show.picture.matrix import plot_matrix

        plot_matrix(found, plot_path)
        tell(f"drawn in {plot_path}")
    put(found, RESEMBLANCE, how)
