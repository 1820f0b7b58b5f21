"""unvek judge ballot FILE"""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from unvek.cli.options import logbook_option, open_logbook, selection_options, tell
from unvek.cli.progress import progress_of

if TYPE_CHECKING:
    from unvek.core.evidence.gathering import Selection

LARGE_TO_SEND = 20 * 2**20  # bytes, beyond which few mails go through


def _share(ctx: click.Context, option: click.Parameter, given: str) -> float:
    """Return a share of 0 to 1: what is written as '10 %', or as 0.1."""
    try:
        share = float(given.removesuffix("%")) / (100 if given.endswith("%") else 1)
    except ValueError:
        share = -1.0
    if not 0 <= share <= 1:
        raise click.BadParameter(f"{given!r} is no share; wanted something like '10 %'", ctx, option)
    return share


@click.command()
@click.argument("file", type=click.Path(path_type=Path, dir_okay=False), default=Path("ballot.html"))
@click.option(
    "--ask",
    "asks",
    type=click.Choice(["pairs", "points", "marks"]),
    default="pairs",
    show_default=True,
    help="Which of two is better; what of the things that a task expects is there; a mark from 0 to 100.",
)
@click.option("--items", type=click.IntRange(1), metavar="N", help="Of so many items, drawn from all tasks alike.")
@click.option(
    "--most",
    type=click.IntRange(1, 2000),
    default=40,
    show_default=True,
    metavar="N",
    help="At most so many questions, but for those that come again.",
)
@click.option("--each-other", is_flag=True, help="Any two variants, and not only each with the reference.")
@click.option(
    "--judges",
    type=click.IntRange(1, 100),
    default=1,
    metavar="N",
    help="A page for each of so many judges: the same pairs, in another order and with sides turned.",
)
@click.option(
    "--repeat",
    "again",
    default="10 %",
    show_default=True,
    callback=_share,
    metavar="SHARE",
    help="So many of the pairs come again with sides swapped: does a judge agree with themselves?",
)
@click.option(
    "--same",
    default="5 %",
    show_default=True,
    callback=_share,
    metavar="SHARE",
    help="Besides, so many pairs show one output twice: what is called better there is noise.",
)
@click.option(
    "--lossy", is_flag=True, help="Pack pictures smaller, all alike, where the page would be too large to send."
)
@selection_options
@logbook_option
def ballot(
    file: Path, asks: str, items: int | None, most: int, each_other: bool, judges: int, again: float, same: float,
    lossy: bool, selection: "Selection", where: str | None,
) -> None:  # fmt: skip
    """Write a page on which a person judges outputs blind: FILE, or FILE-1, FILE-2 and so on for several judges.

    The page is one file. It opens from a mail, works offline and on a phone, and fetches nothing. Nothing in it tells
    which variant an output is of; what stands where is kept in the logbook alone. At its end it saves
    answers-NAME.json, to be sent back: 'unvek judge collect' takes that in.

    \b
    Examples, in the demo's folder:
      unvek judge ballot
      unvek judge ballot petals.html --only 'swift*' --judges 2
      unvek judge ballot leaves.html --ask points --items 6
    """
    from unvek.core.evidence.gathering import gather
    from unvek.core.evidence.outputs.source import KeptOutputs
    from unvek.core.judging.drawing import Asking
    from unvek.core.judging.of_ballot import make_ballots
    from unvek.core.judging.outputs import JudgedOutputs
    from unvek.core.units import bytes_words, counted
    from unvek.show.page.ballot import write_ballot

    asking = Asking(asks=asks, items=items, most=most, each_other=each_other, again=again, same=same)
    with open_logbook(where) as logbook:
        evidence = gather(logbook, selection)
        outputs = JudgedOutputs(KeptOutputs.of(logbook), evidence)
        bar = progress_of("writing outputs anew", "questions ready")
        try:
            made = make_ballots(logbook, evidence, outputs, asking, judges, lossy, bar.show)
        finally:
            bar.end()
    files = [file] if judges == 1 else [file.with_stem(f"{file.stem}-{n}") for n in range(1, judges + 1)]
    for page, path in zip(made.ballots, files, strict=True):
        size = write_ballot(page, path)
        large = "; --lossy packs its pictures smaller" if size > LARGE_TO_SEND and not lossy else ""
        tell(f"{path.name}: {counted(len(page.questions), 'question')}, {bytes_words(size)}{large}")
        click.echo(path)
    what = {"pairs": "pair"}.get(asks, "output")
    if made.chosen < made.possible:
        tell(f"{made.chosen} of {counted(made.possible, what)}, balanced; --most {made.possible} asks about all")
    if made.alike:
        tell(f"{counted(made.alike, 'more pair')} need not be asked: both outputs are the same to the last bit, and "
             "count as even")  # fmt: skip
    tell("each page is for one judge; 'unvek judge collect FILE' takes in what it saves")
