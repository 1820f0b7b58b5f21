"""unvek merge"""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from unvek.cli.options import logbook_option, place_to_write, tell

if TYPE_CHECKING:
    from unvek.core.exchange.merging import Merged


@click.command()
@click.argument(
    "folders",
    nargs=-1,
    required=True,
    type=click.Path(path_type=Path, exists=True, file_okay=False),
    metavar="FOLDER...",
)
@logbook_option
def merge(folders: tuple[Path, ...], where: str | None) -> None:
    """Put other logbooks into this one: each FOLDER a logbook of this or another machine.

    Runs come with all that is known of them, their outputs, remarks and verdicts; sessions and machines stay apart.
    What is here already stays as it is, so that the same logbook may come again and again, as it grows. A run that was
    taken out there is taken out here. Each logbook comes in whole or not at all; nothing in it is changed.

    \b
    Examples, in the demo's folder:
      unvek merge ../other-machine/logbook
      unvek merge cards served --logbook everything
    """
    from unvek.core.exchange.merging import merge as merge_logbooks
    from unvek.core.logbook.store import Logbook

    with Logbook.locked_at(place_to_write(where)) as (ours, _):
        for path in folders:
            with Logbook.open(path) as theirs:
                merged = merge_logbooks(ours, theirs, tell)
            tell(f"{path}: {_words(merged)}")


def _words(merged: "Merged") -> str:
    from unvek.core.units import counted

    words = [f"{counted(merged.runs, 'run')} came into this logbook"]
    words += [f"{counted(merged.known, 'run')} {'was' if merged.known == 1 else 'were'} here"] if merged.known else []
    words += [f"{counted(merged.voided, 'run')} taken out as there"] if merged.voided else []
    words += [counted(merged.notes, "remark")] if merged.notes else []
    words += [counted(merged.verdicts, "verdict")] if merged.verdicts else []
    said = ", ".join(words)
    if merged.otherwise:
        said += (f". {counted(merged.otherwise, 'run')} said something else here under the same id, and "
                 f"{'was' if merged.otherwise == 1 else 'were'} left as here")  # fmt: skip
    if merged.lost_outputs:
        said += f". {counted(merged.lost_outputs, 'output')} there had changed or gone, and did not come"
    if merged.another_plan:
        said += ". Its newest plan is another: results go by the plan here"
    return said
