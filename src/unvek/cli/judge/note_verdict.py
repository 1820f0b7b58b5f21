"""unvek judge note VERDICT TEXT"""

import click

from unvek.cli.options import logbook_option, open_logbook


@click.command("note")
@click.argument("verdict", type=click.IntRange(min=1))
@click.argument("text")
@logbook_option
def note_verdict(verdict: int, text: str, where: str | None) -> None:
    """Put a remark TEXT on VERDICT. 'unvek judge log' shows it; nothing is counted differently.

    \b
    Examples, in the demo's folder:
      unvek judge note 12 "asked again: meant the other one"
      unvek judge note 12 "on a phone, in the sun"
    """
    if not text.strip():
        raise click.UsageError("the remark is empty")
    with open_logbook(where) as logbook:
        logbook.note_verdict(verdict, text[:10_000])
    click.echo(f"noted on verdict {verdict}", err=True)
