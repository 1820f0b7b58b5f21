"""unvek audit"""

from dataclasses import replace
from typing import TYPE_CHECKING

import click

from unvek.cli.measured import gather_evidence
from unvek.cli.options import as_option, logbook_option, open_logbook, selection_options, tell

if TYPE_CHECKING:
    from unvek.core.evidence.gathering import Selection


@click.command()
@click.option("--strict", is_flag=True, help="End with exit code 1 where something is unfair.")
@selection_options
@logbook_option
@as_option
def audit(strict: bool, selection: "Selection", where: str | None, how: str) -> None:
    """Say whether the comparison is fair: everything that differs besides what is compared.

    Each finding is unfair (a ratio means something else than it seems to), a doubt, or a note. It says why that
    matters, and how to mend it. Machines of a team are looked at one by one, and what differs between them is named;
    machines without names are taken together, and that is found unfair.

    \b
    Examples, in the demo's folder:
      unvek audit
      unvek audit --only swift --strict
    """
    from unvek.cli import EXIT_FAULT
    from unvek.core.findings.audit.by_machine import audit_each
    from unvek.core.findings.audit.files import file_findings
    from unvek.show.results.audit import AUDIT
    from unvek.show.terminal.views import put

    with open_logbook(where) as logbook:
        evidence = gather_evidence(logbook, replace(selection, across_rigs=True))
        found = audit_each(logbook, selection, evidence, tuple(file_findings(logbook, evidence, tell)))
    put(found, AUDIT, how)
    if strict and found.is_unfair:
        click.get_current_context().exit(EXIT_FAULT)
