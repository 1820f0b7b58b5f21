"""unvek compare"""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from unvek.cli.measured import gather_evidence, measuring_shown
from unvek.cli.options import as_option, check_plot, logbook_option, open_logbook, plot, plot_option, selection_options

if TYPE_CHECKING:
    from unvek.core.evidence.gathering import Selection


@click.command()
@click.option("--measure", "measures", multiple=True, metavar="NAME", help="Compare this measure; may be given again.")
@click.option("--matrix", metavar="MEASURE", help="How alike every two variants are, by this likeness.")
@plot_option("Draw it, or the matrix: a .png or .svg file.")
@click.option("--before", metavar="WHEN", help="What has changed since then: '24 h' ago, a date, or a file of runs.")
@click.option("--between", nargs=2, metavar="SESSION SESSION", help="What has changed from one session to another.")
@click.option("--strict", is_flag=True, help="End with 1 where something got worse by more than its margin.")
@click.option("--by", type=click.Choice(["rig"]), help="A row for each variant and machine; and what holds of all.")
@click.option("--cold", is_flag=True, help="With the load of each process and its cold, first run.")
@selection_options
@logbook_option
@as_option
def compare(
    measures: tuple[str, ...], matrix: str | None, plot_path: Path | None, before: str | None,
    between: tuple[str, str] | None, strict: bool, by: str | None, cold: bool, selection: "Selection",
    where: str | None, how: str,
) -> None:  # fmt: skip
    """Hold the variants against the reference: time, steps, memory, failures, quality.

    Ratios are paired by launch and item, with a 95 % interval over launches; those of scores over items, where that
    is wider. The answer is faster, slower (better, worse), same (within the margin) or unclear. A raised number points
    to a doubt about that variant, under the table.

    --before and --between hold the same variants of an older session against a newer one: has anything changed?
    --strict alone holds them against the plan's earlier = "FILE".

    --by rig is for runs of several machines, each held against the reference on the same machine: how much machines
    differ beside variants and, where they are of one kind, what holds of that kind, with intervals over machines.

    \b
    Examples, in the demo's folder:
      unvek compare
      unvek compare --only '*-bit' --reference half
      unvek compare --measure memory.peak --measure likeness
      unvek compare --matrix likeness --plot matrix.png
      unvek compare --before '1 h' --strict
    """
    if before is not None or between is not None or strict:
        _compare_with_earlier(before, between, strict, selection, where, how)
        return
    if matrix is not None:
        _compare_all(matrix, plot_path, selection, where, how)
        return
    check_plot(plot_path)
    from dataclasses import replace

    from unvek.core.findings.audit.by_machine import doubts_of_each
    from unvek.core.findings.comparison.comparison import compare as compare_variants
    from unvek.show.results.comparison import COMPARISON, WITH_COLD
    from unvek.show.terminal.views import put

    with open_logbook(where) as logbook:
        evidence = gather_evidence(logbook, replace(selection, by_rig=by is not None))
        doubts = doubts_of_each(logbook, selection, evidence) if by is not None else None
        found = compare_variants(evidence, logbook.rig_of_run(evidence.runs.latest), measures, doubts)
        if plot_path is not None:
            from unvek.show.picture.plots.strips import draw_comparison

            plot(plot_path, draw_comparison, found)
        put(found, WITH_COLD if cold else COMPARISON, how)


def _compare_with_earlier(
    before: str | None, between: tuple[str, str] | None, strict: bool, selection: "Selection",
    where: str | None, how: str,
) -> None:  # fmt: skip
    """Hold the runs of now against earlier ones; end with 1 where that is asked for, and something got worse."""
    from datetime import UTC, datetime

    from unvek.core.findings.log.run_list import parse_since
    from unvek.core.session.earlier import Earlier, changes_since
    from unvek.core.session.measuring.working_out import work_out
    from unvek.show.results.changes import CHANGES
    from unvek.show.terminal.views import put

    if before is not None and between is not None:
        raise click.UsageError("either --before or --between")
    with open_logbook(where) as logbook, measuring_shown() as manner:
        if before is None and between is None:
            record = logbook.newest_plan()
            file = record.plan.earlier if record is not None else None
            if file is None:
                raise click.UsageError('--strict wants --before or --between, or earlier = "FILE" in the plan')
            earlier = Earlier(file=file)
        elif before is not None and Path(before).suffix.lower() in (".csv", ".jsonl", ".parquet", ".html"):
            earlier = Earlier(file=Path(before))
        else:
            moment = parse_since(before, datetime.now(UTC)) if before is not None else None
            earlier = Earlier(before=moment, between=between)
        found = changes_since(logbook, earlier, selection, lambda book, side: work_out(book, side, manner).evidence)
        put(found, CHANGES, how)
    if strict and found.is_worse:
        raise SystemExit(1)


def _compare_all(measure: str, plot_path: Path | None, selection: "Selection", where: str | None, how: str) -> None:
    """Hold every two variants against each other."""
    from unvek.core.findings.resemblance import check_matrix, resemblance
    from unvek.core.session.measuring.between_variants import work_out_between
    from unvek.show.results.resemblance import RESEMBLANCE
    from unvek.show.terminal.views import put

    check_plot(plot_path)
    with open_logbook(where) as logbook:
        evidence = gather_evidence(logbook, selection)
        check_matrix(evidence, measure)
        with measuring_shown() as manner:
            evidence = work_out_between(logbook, evidence, measure, manner)
        found = resemblance(evidence, measure)
    if plot_path is not None:
        from unvek.show.picture.plots.matrix import draw_matrix

        plot(plot_path, draw_matrix, found)
    put(found, RESEMBLANCE, how)
