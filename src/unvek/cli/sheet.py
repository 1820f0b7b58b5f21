"""unvek sheet"""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from unvek.cli.measured import gather_evidence
from unvek.cli.options import logbook_option, open_logbook, selection_options, tell

if TYPE_CHECKING:
    from unvek.core.evidence.gathering import Selection


@click.command()
@click.option(
    "--out", type=click.Path(path_type=Path), default=Path("sheet.png"), show_default=True, help="The picture."
)
@click.option(
    "--zoom", type=click.IntRange(1, 16), help="How much to enlarge each picture. If not given: to about 140 pixels."
)
@click.option("--region", metavar="X,Y,W,H", help="Only this part of each picture, in its own pixels, enlarged alike.")
@click.option("--difference", is_flag=True, help="What each picture differs by from the reference's, with a scale.")
@click.option(
    "--worst", type=click.IntRange(1), metavar="N", help="The N items that drift most, and where in the picture."
)
@click.option("--seeds", is_flag=True, help="One prompt over all of its seeds: the first that has several.")
@selection_options
@logbook_option
def sheet(
    out: Path, zoom: int | None, region: str | None, difference: bool, worst: int | None, seeds: bool,
    selection: "Selection", where: str | None,
) -> None:  # fmt: skip
    """Put the outputs side by side: variants down, items across.

    Pictures as they are, frames as strips (bad ones in a frame), sounds as waves with their spectra, texts word by word
    against the reference's: what only the variant has is underlined, what it lacks is struck. Each is labelled with its
    steps and time, its likeness to the reference's output with its drift, and what is there of what its task expects. A
    long sheet is cut into pages, sheet-1.png and so on.

    \b
    Examples, in the demo's folder:
      unvek sheet
      unvek sheet --tasks 'violet-*' --out violets.png
      unvek sheet --worst 3 --difference
      unvek sheet --region 12,12,24,24
    """
    from unvek.core.findings.output_sheet.laying_out import Wanted, lay_out_outputs
    from unvek.show.picture.sheet import draw_sheet
    from unvek.show.picture.tiles.look import Look, Region

    look = Look(
        zoom=zoom, region=Region.parsed(region) if region is not None else None, difference=difference,
        marks_worst=worst is not None,
    )  # fmt: skip
    with open_logbook(where) as logbook:
        evidence = gather_evidence(logbook, selection)
        laid_out = lay_out_outputs(logbook, evidence, Wanted(seeds_of_one=seeds, worst=worst))
        drawn = draw_sheet(laid_out, out, look)
    for words in laid_out.told:
        tell(words)
    if drawn.left_out:
        tell(f"{drawn.left_out} more pages are left out: choose fewer outputs with --tasks, --only, --seeds or --worst")
    for file in drawn.files:
        click.echo(file)
