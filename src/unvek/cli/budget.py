"""unvek budget"""

from dataclasses import replace
from typing import TYPE_CHECKING

import click

from unvek.cli.measured import gather_evidence
from unvek.cli.options import as_option, logbook_option, open_logbook, selection_options

if TYPE_CHECKING:
    from unvek.core.evidence.gathering import Selection

MOST_DRAFTS = 10_000


def _kept(ctx: click.Context, option: click.Parameter, given: str) -> int:
    """Return how many drafts there are for each final that is kept."""
    kept, _, of = given.partition(":")
    if kept.strip() != "1" or not of.strip().isdecimal() or not 2 <= int(of) <= MOST_DRAFTS:
        raise click.BadParameter(f"{given!r}; wanted one of so many drafts, as in 1:8", ctx, option)
    return int(of)


@click.command()
@click.option("--drafts", required=True, metavar="VARIANT", help="What drafts are made with.")
@click.option("--finals", required=True, metavar="VARIANT", help="What those that are kept are made with again.")
@click.option("--keep", default="1:8", show_default=True, callback=_kept, metavar="1:N", help="One of N is kept.")
@click.option("--wanted", type=click.IntRange(1, 1_000_000), default=10, show_default=True, help="Finals in a session.")
@selection_options
@logbook_option
@as_option
def budget(
    drafts: str, finals: str, keep: int, wanted: int, selection: "Selection", where: str | None, how: str
) -> None:
    """Say what a session of drafts and finals takes and costs, loads included, from what is measured.

    Drafts are made with one variant, the best of them again with another, at the same seed. Does that pay, against
    making all of them with the other at once? From how many finals on? And does a draft tell what its final will be:
    does it look like it, or is the better of two drafts the better final?

    \b
    Examples, in the demo's folder:
      unvek budget --drafts swift --finals full
      unvek budget --drafts swift-four-bit --finals full --keep 1:20 --wanted 3
    """
    from unvek.core.errors import InputError
    from unvek.core.findings.budget import budget_of
    from unvek.show.results.budget import BUDGET
    from unvek.show.terminal.views import put

    if drafts == finals:
        raise click.UsageError("--drafts and --finals are the same variant")
    with open_logbook(where) as logbook:
        evidence = gather_evidence(logbook, replace(selection, reference=finals))
        if drafts not in [variant.name for variant in evidence.variants]:
            names = ", ".join(variant.name for variant in evidence.variants)
            raise InputError(f"there is no variant {drafts!r}; there are {names}")
        put(budget_of(evidence, drafts, finals, keep, wanted), BUDGET, how)
