"""unvek judge log"""

import click

from unvek.cli.options import as_option, logbook_option, open_logbook


@click.command("log")
@logbook_option
@as_option
def verdicts(where: str | None, how: str) -> None:
    """List the verdicts: who said what of which outputs, and why. Those that were taken out are in the list, too.

    \b
    Examples, in the demo's folder:
      unvek judge log
      unvek judge log --as csv > verdicts.csv
    """
    from unvek.core.findings.log.verdict_list import list_verdicts
    from unvek.show.results.verdict_list import VERDICTS
    from unvek.show.terminal.views import put

    with open_logbook(where) as logbook:
        put(list_verdicts(logbook), VERDICTS, how)
