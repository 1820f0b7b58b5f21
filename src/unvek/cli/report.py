"""unvek report FILE"""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from unvek.cli.asked import asked_options
from unvek.cli.measured import gather_evidence
from unvek.cli.options import logbook_option, open_logbook, selection_options, tell
from unvek.cli.progress import progress_of

if TYPE_CHECKING:
    from unvek.cli.asked import AskedWords
    from unvek.core.evidence.gathering import Selection


@click.command()
@click.argument("file", type=click.Path(path_type=Path, dir_okay=False), default=Path("report.html"))
@click.option("--without-outputs", is_flag=True, help="No outputs, prompts or texts: for what may not leave the house.")
@click.option("--anonymous", is_flag=True, help="Without outputs, and with numbers for the names of tasks and people.")
@asked_options
@selection_options
@logbook_option
def report(
    file: Path, without_outputs: bool, anonymous: bool, asked: "AskedWords", selection: "Selection",
    where: str | None,
) -> None:  # fmt: skip
    """Write the whole answer as one page: FILE, report.html if not given.

    The page stands alone: it opens from a mail, offline, on a phone, on paper and without scripts, and fetches nothing.
    It has the pick and its reasons, how sure that is, the frontier, every figure, the outputs side by side, curves,
    runs, verdicts, the audit, and what everything was made of. It carries its runs: 'unvek import FILE' takes them in.

    \b
    Examples, in the demo's folder:
      unvek report
      unvek report swift.html --only 'swift*' --need "likeness >= 0.9"
      unvek report to-send.html --anonymous
    """
    from unvek.core.findings.report.gathering import Wished, report_of
    from unvek.core.units import bytes_words
    from unvek.show.page.report import write_report

    bar = progress_of("writing outputs anew", "items ready")
    with open_logbook(where) as logbook:
        evidence = gather_evidence(logbook, selection)
        wished = Wished(asked=asked.of(evidence), with_outputs=not without_outputs, anonymous=anonymous)
        try:
            found = report_of(logbook, evidence, selection, wished, bar.show)
        finally:
            bar.end()
        size = write_report(found, file)
    for words in found.left_out:
        tell(words)
    tell(f"{bytes_words(size)}; it carries its runs: 'unvek import {file.name}' reads them back")
    click.echo(file)
