"""unvek measure"""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from unvek.cli.options import as_option, logbook_option, open_logbook, selection_options, tell

if TYPE_CHECKING:
    from unvek.core.evidence.gathering import Selection


@click.command()
@selection_options
@logbook_option
@as_option
def measure(selection: "Selection", logbook_path: Path | None, how: str) -> None:
    """Work out what the plan measures of the outputs, and keep it; say of which runs there is no value, and why.

    Commands that show results do the same first: this does it without them. What is known already is not worked out
    again, unless the plan's definition of it has changed (its kind, or what a task wants). An output that is not the
    file any more that its run made is not measured.

    \b
    Examples, in the demo's folder:
      unvek measure
      unvek measure --only '*-bit' --as json
    """
    from unvek.core.evidence.gathering import gather
    from unvek.core.session.measuring import work_out
    from unvek.show.results.measuring import MEASURING
    from unvek.show.terminal.views import put

    with open_logbook(logbook_path) as logbook:
        _, found = work_out(logbook, gather(logbook, selection), tell)
    put(found, MEASURING, how)
