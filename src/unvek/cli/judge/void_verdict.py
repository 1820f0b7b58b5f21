"""unvek judge void VERDICT"""

import click

from unvek.cli.options import logbook_option, open_logbook, reason_options


@click.command("void")
@click.argument("verdict", type=click.IntRange(min=1))
@reason_options("verdict")
@logbook_option
def void_verdict(verdict: int, reason: str | None, where: str | None) -> None:
    """Take VERDICT out of every result, with the reason. Nothing is deleted.

    \b
    Examples, in the demo's folder:
      unvek judge void 12 --why "pressed the wrong key"
      unvek judge void 12 --undo
    """
    with open_logbook(where) as logbook:
        logbook.void_verdict(verdict, reason)
    click.echo(f"verdict {verdict} is {'taken in again' if reason is None else 'taken out'}", err=True)
