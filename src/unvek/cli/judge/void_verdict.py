"""unvek judge void VERDICT"""

from pathlib import Path

import click

from unvek.cli.options import logbook_option, open_logbook


@click.command("void")
@click.argument("verdict", type=click.IntRange(min=1))
@click.option("--why", metavar="TEXT", help="The reason, which is kept and shown.")
@click.option("--undo", is_flag=True, help="Take the verdict in again.")
@logbook_option
def void_verdict(verdict: int, why: str | None, undo: bool, logbook_path: Path | None) -> None:
    """Take VERDICT out of every result, with the reason. Nothing is deleted.

    \b
    Examples, in the demo's folder:
      unvek judge void 12 --why "pressed the wrong key"
      unvek judge void 12 --undo
    """
    if undo == bool(why and why.strip()):
        raise click.UsageError("say why the verdict is taken out, with --why TEXT; or --undo to take it in again")
    with open_logbook(logbook_path) as logbook:
        logbook.void_verdict(verdict, None if undo else (why or "").strip()[:1000])
    click.echo(f"verdict {verdict} is {'taken in again' if undo else 'taken out'}", err=True)
