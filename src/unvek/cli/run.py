"""unvek run PLAN"""

import sys
from pathlib import Path

import click

from unvek.cli import EXIT_FAULT, EXIT_STOPPED
from unvek.cli.measured import measure_what_was_made
from unvek.cli.options import logbook_option, name_option, plan_argument, tell


@click.command()
@plan_argument
@logbook_option
@name_option
@click.option("--plain", is_flag=True, help="Print a line a run, and draw nothing.")
@click.option("--afresh", is_flag=True, help="Void this plan's runs so far, and make all of them anew.")
@click.option("--undisturbed", is_flag=True, help="Make rounds again in which something else took the machine.")
@click.option("--wait", is_flag=True, help="Wait while other runs are being made on this machine.")
@click.option("--keep-going", is_flag=True, help="Go on when the terminal is closed.")
def run(
    plan: Path, where: str | None, name: str | None, plain: bool, afresh: bool, undisturbed: bool, wait: bool,
    keep_going: bool,
) -> None:  # fmt: skip
    """Make the runs of PLAN, and watch them.

    On a terminal a live view is drawn; elsewhere a line is printed for each run, on standard error. Each finished
    run is safe on the disk at once. The same command again goes on where it was stopped, and makes only what is
    missing. Ctrl-C skips the run in progress; twice within two seconds stops. One benchmark is made at a time on
    a machine; 'unvek watch' shows it from another terminal.

    After the last run what the plan measures of the outputs is worked out ('unvek measure').

    With --undisturbed a round is made again, of all variants alike, where in a tenth of its runs or more other
    processes or the host took 0.2 cores or more: by the machine's counters, never by a time, three times at most.

    \b
    Examples, in the demo's folder:
      unvek run
      unvek run plan.toml --name quiet-evening --plain --keep-going
    """
    from unvek.cli.showing import shown
    from unvek.core.errors import LogbookUnreachableError
    from unvek.core.logbook.place import place_beside
    from unvek.core.plan.model import LATER
    from unvek.core.plan.reading.plan import read_plan
    from unvek.core.session.making import make_runs
    from unvek.core.session.workplace import RunOptions

    checked = read_plan(plan)
    place = place_beside(checked, where)
    with shown(
        RunOptions(name=name, afresh=afresh, undisturbed=undisturbed, wait=wait, keep_going=keep_going), plain
    ) as options:
        made = make_runs(checked, place, options)
    click.echo(_summary(made.made, made.failed, made.already, made.stopped), err=True)
    if made.made_again:
        tell(f"made again, since something else took the machine: round {', '.join(map(str, made.made_again))}")
    for words in made.told:
        tell(words)
    if made.stopped:
        sys.exit(EXIT_STOPPED)
    if made.made and checked.schedule.measure != LATER:
        try:
            measure_what_was_made(place)
        except LogbookUnreachableError as error:
            tell(f"outputs are not measured yet: {error}; 'unvek measure' does it when it is back")
    if made.failed:
        sys.exit(EXIT_FAULT)


def _summary(made: int, failed: int, already: int, stopped: bool) -> str:
    from unvek.core.units import counted

    said = f"{counted(made, 'run')} made" + (f", {already} were there before" if already else "")
    if failed:
        said += f"; {failed} of them failed: 'unvek log' lists them"
    if stopped:
        return f"{said}. Stopped; the same command goes on from here."
    return f"{said}. 'unvek compare' holds the variants against each other."
