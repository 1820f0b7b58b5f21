"""unvek try PLAN"""

from pathlib import Path
from typing import Any

import click

from unvek.cli import EXIT_FAULT, EXIT_STOPPED
from unvek.cli.options import as_option, logbook_option, plan_argument, settings_option


@click.command("try")
@plan_argument
@click.option("--variant", metavar="NAME", help="Which variant. If not given: the plan's reference.")
@click.option("--task", metavar="NAME", help="Which task. If not given: the plan's first.")
@click.option("--prompt", metavar="TEXT", help="Another prompt than the task's.")
@settings_option("--set", "Another value of a setting, such as steps=8; may be given again.")
@click.option("--seeds", metavar="SEEDS", help="One such as 3, some such as 1,4,9, or a range 1..6.")
@click.option("--wait", is_flag=True, help="Wait while other runs are being made on this machine.")
@logbook_option
@as_option
def trial(
    plan: Path, variant: str | None, task: str | None, prompt: str | None, set: dict[str, Any], seeds: str | None,
    wait: bool, where: str | None, how: str,
) -> None:  # fmt: skip
    """Try one variant of PLAN on one prompt, now: is it wired up at all?

    One process is started, and one run made for each seed. What came out is shown with its time, and kept in the
    logbook apart from the plan's runs: no result counts it, and 'unvek log --tries' lists it.

    \b
    Examples, in the demo's folder:
      unvek try --variant swift
      unvek try --variant swift --prompt "a white flower with five petals on night ground" --set steps=8 --seeds 1..6
    """
    from unvek.cli.showing import shown
    from unvek.core.logbook.place import place_beside
    from unvek.core.plan.reading.plan import read_plan
    from unvek.core.session.trial import TrialOptions, make_trial, parse_seeds
    from unvek.core.session.workplace import RunOptions
    from unvek.show.results.trial import TRIAL
    from unvek.show.terminal.views import put

    checked = read_plan(plan)
    wanted = TrialOptions(
        variant=variant, task=task, prompt=prompt, settings=set, seeds=parse_seeds(seeds) if seeds is not None else None
    )
    with shown(RunOptions(wait=wait)) as options:
        found = make_trial(checked, place_beside(checked, where), wanted, options)
    put(found, TRIAL, how)
    if found.stopped:
        click.get_current_context().exit(EXIT_STOPPED)
    if found.failed:
        click.get_current_context().exit(EXIT_FAULT)
