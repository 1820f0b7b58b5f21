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
run_argument = click.argument("run", type=click.IntRange(min=1))
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
    """Add --reference, --only, --tasks and --across-rigs."""
    for option in (
        click.option("--across-rigs", is_flag=True, help="Compare runs of different machines all the same."),
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


def gather_evidence(
    logbook: "Logbook", reference: str | None, only: str, tasks: str, across_rigs: bool = False
) -> "Evidence":
    """Gather the evidence with all likenesses worked out."""
    from unvek.core.findings.evidence import gather
    from unvek.core.findings.likeness import with_likeness

    return with_likeness(logbook, gather(logbook, reference, only, tasks, across_rigs))


def settings_option(name: str, help_: str) -> Callable[[Command], Command]:
    """Return an option NAME=VALUE that may be given again; its values come as a mapping, numbers as numbers."""
    return click.option(name, multiple=True, metavar="NAME=VALUE", help=help_, callback=_parsed_settings)


def _parsed_settings(ctx: click.Context, option: click.Parameter, given: tuple[str, ...]) -> dict[str, Any]:
    settings = {}
    for text in given:
        name, is_there, value = text.partition("=")
        if not is_there or not name.strip():
            raise click.BadParameter(f"{text!r} is no NAME=VALUE, such as steps=8", ctx, option)
        settings[name.strip()] = parsed_value(value.strip())
    return settings


def parsed_value(text: str) -> Any:
    """Return what a value means as a plan would have it: a number, true, false; anything else is a text."""
    import tomllib

    try:
        value = tomllib.loads(f"value = {text}")["value"]
    except (tomllib.TOMLDecodeError, KeyError):
        return text
    return value if isinstance(value, str | int | float | bool) else text
