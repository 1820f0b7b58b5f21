"""unvek void RUN --why TEXT"""

from pathlib import Path

import click

from unvek.cli.options import logbook_option, open_logbook, run_argument


@click.command()
@run_argument
@click.option("--why", metavar="TEXT", help="The reason, which is kept and shown.")
@click.option("--undo", is_flag=True, help="Take the run in again.")
@logbook_option
def void(run: int, why: str | None, undo: bool, logbook_path: Path | None) -> None:
    """Take RUN out of every result, with the reason. Nothing is deleted, and 'unvek run' makes the run anew.

    \b
    Examples, in the demo's folder:
      unvek void 12 --why "the machine was being updated"
      unvek void 12 --undo
    """
    if undo == bool(why and why.strip()):
        raise click.UsageError("say why the run is taken out, with --why TEXT; or --undo to take it in again")
    with open_logbook(logbook_path) as logbook:
        logbook.void_run(run, None if undo else (why or "").strip()[:1000])
    click.echo(f"run {run} is {'taken in again' if undo else 'taken out'}", err=True)
