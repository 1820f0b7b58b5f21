"""unvek note RUN TEXT"""

import click

from unvek.cli.options import logbook_option, open_logbook, run_argument


@click.command()
@run_argument
@click.argument("text")
@logbook_option
def note(run: int, text: str, where: str | None) -> None:
    """Put a remark TEXT on RUN. 'unvek show RUN' shows it; nothing is counted differently.

    \b
    Examples, in the demo's folder:
      unvek note 12 "the shop was open, and the till was busy"
      unvek note 12 "first run with the new cooler"
    """
    if not text.strip():
        raise click.UsageError("the remark is empty")
    with open_logbook(where) as logbook:
        logbook.note_run(run, text[:10_000])
    click.echo(f"noted on run {run}", err=True)
