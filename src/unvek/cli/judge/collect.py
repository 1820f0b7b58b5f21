"""unvek judge collect FILE..."""

from pathlib import Path

import click

from unvek.cli.options import logbook_option, open_logbook, tell

EXIT_INPUT = 2


@click.command()
@click.argument("files", type=click.Path(path_type=Path, dir_okay=False), nargs=-1, required=True)
@logbook_option
def collect(files: tuple[Path, ...], where: str | None) -> None:
    """Take in the answers that pages have saved: FILE... What is half answered counts as far as it goes.

    The same file again changes nothing. Answers to another logbook's ballot, by a second judge to one page, or that no
    page gives, are refused, each with the reason; the other files are taken in.

    \b
    Examples, in the demo's folder:
      unvek judge collect answers-ina.json
      unvek judge collect answers-*.json
    """
    from unvek.core.errors import InputError
    from unvek.core.judging.collecting import collect as take_in
    from unvek.core.units import counted

    refused = 0
    with open_logbook(where) as logbook:
        for file in files:
            try:
                taken = take_in(logbook, file)
            except InputError as error:
                tell(f"refused: {error}")
                refused += 1
                continue
            known = f", {taken.known} were here already" if taken.known else ""
            left = f", {taken.open} not answered" if taken.open else ""
            tell(f"{taken.file}: {counted(taken.new, 'verdict')} by {taken.judge}{known}{left}")
    if refused:
        raise SystemExit(EXIT_INPUT)
