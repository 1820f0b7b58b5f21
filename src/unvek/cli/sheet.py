"""unvek sheet"""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from unvek.cli.options import gather_evidence, logbook_option, open_logbook, selection_options

if TYPE_CHECKING:
    from unvek.core.evidence.gathering import Selection


@click.command()
@click.option(
    "--out", type=click.Path(path_type=Path), default=Path("sheet.png"), show_default=True, help="The picture."
)
@click.option(
    "--zoom", type=click.IntRange(1, 16), help="How much to enlarge each output. If not given: to about 140 pixels."
)
@selection_options
@logbook_option
def sheet(
    out: Path,
    zoom: int | None,
    selection: "Selection",
    logbook_path: Path | None,
) -> None:
    """Put the outputs side by side in one picture: variants down, items across.

    Each is labelled with its steps and time, and with its likeness to the reference's output of the same item.

    \b
    Examples, in the demo's folder:
      unvek sheet
      unvek sheet --tasks 'violet-*' --out violets.png
    """
    from unvek.core.findings.output_sheet import lay_out_outputs
    from unvek.show.picture.sheet import draw_sheet

    with open_logbook(logbook_path) as logbook:
        laid_out = lay_out_outputs(logbook, gather_evidence(logbook, selection))
    draw_sheet(laid_out, out, zoom)
    click.echo(out)
