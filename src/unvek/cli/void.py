"""unvek void RUN --why TEXT"""

import click

from unvek.cli.options import logbook_option, open_logbook, reason_options, run_argument


@click.command()
@run_argument
@reason_options("run")
@logbook_option
def void(run: int, reason: str | None, where: str | None) -> None:
    """Take RUN out of every result, with the reason. Nothing is deleted, and 'unvek run' makes the run anew.

    \b
    Examples, in the demo's folder:
      unvek void 12 --why "the machine was being updated"
      unvek void 12 --undo
    """
    with open_logbook(where) as logbook:
        logbook.void_run(run, reason)
    click.echo(f"run {run} is {'taken in again' if reason is None else 'taken out'}", err=True)
