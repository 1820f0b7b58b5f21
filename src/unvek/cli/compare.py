"""unvek compare"""

from pathlib import Path

import click

from unvek.cli.options import as_option, gather_evidence, logbook_option, open_logbook, selection_options


@click.command()
@selection_options
@logbook_option
@as_option
def compare(
    reference: str | None, only: str, tasks: str, across_rigs: bool, logbook_path: Path | None, how: str
) -> None:
    """Hold the variants against the reference: time, steps, memory, failures, quality.

    Ratios are paired by round and item, with a 95 % interval over the rounds. The answer is faster, slower, same
    (within 2 %) or unclear.

    \b
    Examples, in the demo's folder:
      unvek compare
      unvek compare --only '*-bit' --reference half
    """
    from unvek.core.findings.comparison import compare as compare_variants
    from unvek.show.comparison import COMPARISON
    from unvek.show.views import put

    with open_logbook(logbook_path) as logbook:
        evidence = gather_evidence(logbook, reference, only, tasks, across_rigs)
        put(compare_variants(evidence, logbook.rig_of_runs(evidence.by_number)), COMPARISON, how)
