"""unvek judge ask NAME"""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from unvek.cli.options import as_option, logbook_option, open_logbook, say_who, selection_options
from unvek.cli.progress import progress_of

if TYPE_CHECKING:
    from unvek.core.evidence.gathering import Selection
    from unvek.core.session.judging.asking import Progress


@click.command()
@click.argument("name")
@click.option(
    "--plan",
    "plan_path",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="PLAN",
    help="The plan that has the judge; if not given, the one whose runs these are, as its file is now.",
)
@click.option("--items", type=click.IntRange(1), metavar="N", help="Of so many items, drawn from all tasks alike.")
@click.option(
    "--most",
    type=click.IntRange(1, 100_000),
    default=40,
    show_default=True,
    metavar="N",
    help="At most so many pairs, each in both orders; or so many outputs.",
)
@click.option("--wait", is_flag=True, help="Wait while runs are being made on this machine.")
@selection_options
@logbook_option
@as_option
def ask(
    name: str, plan_path: Path | None, items: int | None, most: int, wait: bool, selection: "Selection",
    where: str | None, how: str,
) -> None:  # fmt: skip
    """Have the judge NAME of the plan, a model or a program, judge outputs: each pair in both orders.

    Every verdict is kept as it comes, and what was asked before is not asked again: broken off, the same command goes
    on. A reply that can't be read, refuses, or answers something else is kept as unreadable.

    \b
    Examples, in the demo's folder:
      unvek run judged.toml --logbook judged
      unvek judge ask gardener --logbook judged
      unvek judge tally --logbook judged
    """
    from unvek.core.errors import InputError
    from unvek.core.evidence.gathering import gather
    from unvek.core.evidence.outputs.source import KeptOutputs
    from unvek.core.judging.outputs import JudgedOutputs
    from unvek.core.plan.reading.plan import read_plan
    from unvek.core.session.judging.asking import AskingWanted, ask_judge
    from unvek.core.session.measuring.plan_now import plan_file
    from unvek.show.results.asked import ASKED
    from unvek.show.terminal.views import put

    with open_logbook(where) as logbook:
        evidence = gather(logbook, selection)
        path = plan_path or plan_file(logbook.place, evidence.plan)
        judges = read_plan(path).judges if path is not None else evidence.plan.judges
        if name not in judges:
            known = f"there are {', '.join(judges)}" if judges else "it has none: give it a [judges.NAME] table"
            raise InputError(f"{path or 'the plan'} has no judge {name!r}; {known}")
        outputs = JudgedOutputs(KeptOutputs.of(logbook), evidence)
        bar = progress_of(f"asking {name}", "asked")

        def show(progress: "Progress") -> None:
            cost = f", cost {progress.cost:.3g}" if progress.cost else ""
            unreadable = f", {progress.unreadable} unreadable" if progress.unreadable else ""
            bar.show(progress.done, progress.count, cost + unreadable)

        wanted = AskingWanted(most=most, items=items, waits=wait, progress=show, on_wait=say_who)
        try:
            asked = ask_judge(logbook, evidence, outputs, judges[name], wanted)
        finally:
            bar.end()
    put(asked, ASKED, how)
