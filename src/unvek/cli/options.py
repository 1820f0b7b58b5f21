"""Options and steps that several commands share."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

if TYPE_CHECKING:
    from unvek.core.findings.evidence import Evidence
    from unvek.core.logbook.store import Logbook

Command = Callable[..., Any]

plan_argument = click.argument("plan", type=click.Path(path_type=Path), default=Path("plan.toml"))
logbook_option = click.option(
    "--logbook",
    "logbook_path",
    type=click.Path(path_type=Path),
    metavar="FOLDER",
    help="The logbook's folder. If not given: logbook/ in this folder or the nearest one above it.",
)
as_option = click.option(
    "--as",
    "how",
    type=click.Choice(["table", "json", "csv", "markdown"]),
    default="table",
    show_default=True,
    help="The form of the result.",
)


def selection_options(command: Command) -> Command:
    """Add --reference, --only and --tasks."""
    for option in (
        click.option("--tasks", default="*", metavar="GLOB", help="Only tasks whose name fits, such as 'violet-*'."),
        click.option(
            "--only", default="*", metavar="GLOB", help="Only variants whose name fits (the reference stays)."
        ),
        click.option("--reference", metavar="VARIANT", help="Hold the others against this one, not the plan's own."),
    ):
        command = option(command)
    return command


def open_logbook(path: Path | None) -> "Logbook":
    """Open the logbook that was named, or the one found from here."""
    from unvek.core.logbook.folder import find_logbook
    from unvek.core.logbook.store import Logbook

    return Logbook.open(path if path is not None else find_logbook(Path.cwd()))


def gather_evidence(logbook: "Logbook", reference: str | None, only: str, tasks: str) -> "Evidence":
    """Gather the evidence with all likenesses worked out."""
    from unvek.core.findings.evidence import gather
    from unvek.core.findings.likeness import with_likeness

    return with_likeness(logbook, gather(logbook, reference, only, tasks))
