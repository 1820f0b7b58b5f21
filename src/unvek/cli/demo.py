"""unvek demo [FOLDER]"""

from pathlib import Path

import click

from unvek.cli import EXIT_FAULT, EXIT_STOPPED

NEXT = """
What to try next, in {folder}:
  unvek show 12                               one run whole: its steps, memory, what it was made of
  unvek try --variant swift --seeds 1..3      one prompt, now; add --prompt for one of your own
  unvek tradeoff --need "likeness >= 0.99"    the pick under a need of yours
  unvek report                                all of it as one page: open report.html, or send it
  unvek budget --drafts swift --finals full   drafts with one, finals with another: does it pay?
  open sheet.png                              the labels side by side
  unvek run cards.toml --logbook cards        words instead of pictures: seven writers of care cards
  unvek run served.toml --logbook served      a server, asked by one client to eight
  unvek run accelerator.toml --logbook other  the same on a simulated accelerator
  unvek run clips.toml --logbook clips        frames, the first ones spoiled; then: unvek audit --logbook clips
  unvek run chimes.toml --logbook chimes      sound: how little does a chime take?
  unvek run variety.toml --logbook variety    has the fast one lost its variety?
  unvek run steps.toml --logbook steps        how many steps are enough? then: unvek curve steps --logbook steps
  unvek weigh models/*.safetensors --fits     what is in them, and what would fit where; then: unvek help weights
  unvek clock kiosk --task violet-four        what can't be started from here, by hand; then: unvek help by-hand
  unvek judge ballot labels.html              a page on which a colleague judges blind; then: unvek judge tally
  unvek run judged.toml --logbook judged      a model judges; then: unvek judge ask gardener --logbook judged
  edit plan.toml, then unvek run              only what the change touches is run again
"""


@click.command()
@click.argument("folder", type=click.Path(path_type=Path), default=Path("alder-row"))
@click.option("--quick", is_flag=True, help="Fewer runs: within a minute on two cores.")
@click.option("--plain", is_flag=True, help="Print a line a run, and draw nothing.")
def demo(folder: Path, quick: bool, plain: bool) -> None:
    """Lay out the demo project in FOLDER, run it, and show what came out.

    The project is an ordinary one: a plan, a script and weights, to be copied and changed. It asks which of eight
    variants of a small picture model a plant nursery should use on the computer at its counter. Without FOLDER it
    is laid out in alder-row/. Once laid out it is not overwritten: the same command goes on with it.

    \b
    Examples:
      unvek demo --quick
      unvek demo my-first-plan
    """
    from unvek.cli.measured import gather_evidence
    from unvek.cli.showing import shown
    from unvek.core.findings.comparison.comparison import compare
    from unvek.core.findings.output_sheet.laying_out import lay_out_outputs
    from unvek.core.findings.tradeoff.tradeoff import trade_off
    from unvek.core.logbook.place import place_beside
    from unvek.core.logbook.store import Logbook
    from unvek.core.plan.reading.plan import read_plan
    from unvek.core.session.making import make_runs
    from unvek.core.session.workplace import RunOptions
    from unvek.demo import lay_out
    from unvek.show.picture.sheet import draw_sheet
    from unvek.show.results.comparison import COMPARISON
    from unvek.show.results.tradeoff import TRADEOFF
    from unvek.show.terminal.views import put

    plan = read_plan(lay_out(folder, quick))
    click.echo(f"The project is in {folder}: plan.toml, scripts, models, and nine more plans.", err=True)
    with shown(RunOptions(), plain) as options:
        made = make_runs(plan, place_beside(plan), options)
    if made.stopped:
        click.echo("Stopped; the same command goes on from here.", err=True)
        click.get_current_context().exit(EXIT_STOPPED)
    with Logbook.open(place_beside(plan)) as logbook:
        evidence = gather_evidence(logbook)
        put(compare(evidence, logbook.rig_of_run(evidence.runs.latest)), COMPARISON, "table")
        click.echo()
        put(trade_off(evidence), TRADEOFF, "table")
        draw_sheet(lay_out_outputs(logbook, evidence), folder / "sheet.png")
    click.echo(NEXT.format(folder=folder))
    if made.failed:
        click.get_current_context().exit(EXIT_FAULT)
