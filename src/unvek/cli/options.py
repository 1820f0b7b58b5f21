"""Options and steps that several commands share."""

from collections.abc import Callable
from functools import wraps
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from unvek.core.logbook.place import Place
    from unvek.core.logbook.store import Logbook
    from unvek.core.run.machine_lock import Holder

Command = Callable[..., Any]

plan_argument = click.argument("plan", type=click.Path(path_type=Path), default=Path("plan.toml"))
run_argument = click.argument("run", type=click.IntRange(min=1))
logbook_option = click.option(
    "--logbook",
    "where",
    envvar="UNVEK_LOGBOOK",
    metavar="FOLDER",
    help="The logbook's folder, or the address of a team's (postgresql://...). If not given: UNVEK_LOGBOOK, the "
    "plan's, or logbook/ in this folder or the nearest one above it.",
)


def _checked_name(ctx: click.Context, option: click.Parameter, given: str | None) -> str | None:
    from unvek.core.plan.names import NAME_WORDS, is_name

    if given is not None and not is_name(given):
        raise click.BadParameter(f"{given!r} is no name; wanted {NAME_WORDS}", ctx, option)
    return given


name_option = click.option(
    "--name", metavar="NAME", callback=_checked_name, help="What this session is to be called; a time of day if not."
)


def _set_width(ctx: click.Context, option: click.Parameter, width: int | None) -> None:
    """Have what is shown by this command be so wide."""
    if width is not None:
        from unvek.show.terminal.console import WIDTH

        WIDTH.append(width)
        ctx.call_on_close(WIDTH.pop)


def as_option(command: Command) -> Command:
    """Add --as and --width, which say in which form, and how wide, a result is shown."""
    width = click.option(
        "--width", type=click.IntRange(60, 1000), metavar="COLUMNS", expose_value=False, callback=_set_width,
        help="How wide a table may be; the window's width, or COLUMNS, or 120, if not given.",
    )  # fmt: skip
    form = click.option(
        "--as", "how", type=click.Choice(["table", "json", "csv", "markdown"]), default="table", show_default=True,
        help="The form of the result.",
    )  # fmt: skip
    return form(width(command))


def selection_options(command: Command) -> Command:
    """Add --reference, --only, --tasks, --varied, --rig and --across-rigs; they are handed on as `selection`."""

    @wraps(command)
    def with_selection(
        reference: str | None, only: str, tasks: str, varied: dict[str, Any], rig: str | None, across_rigs: bool,
        **others: Any,
    ) -> Any:  # fmt: skip
        from unvek.core.evidence.gathering import Selection

        selection = Selection(
            reference=reference, only=only, tasks=tasks, varied=varied, rig=rig, across_rigs=across_rigs
        )
        return command(selection=selection, **others)

    wrapped: Command = with_selection
    for option in (
        click.option("--rig", metavar="FINGERPRINT", help="Only runs of this machine; its first letters will do."),
        click.option("--across-rigs", is_flag=True, help="Compare runs of different machines all the same."),
        settings_option("--varied", "Only runs with this value of a setting that the plan varies, such as clients=4."),
        click.option("--tasks", default="*", metavar="GLOB", help="Only tasks whose name fits, such as 'violet-*'."),
        click.option(
            "--only", default="*", metavar="GLOB", help="Only variants whose name fits (the reference stays)."
        ),
        click.option("--reference", metavar="VARIANT", help="Hold the others against this one, not the plan's own."),
    ):
        wrapped = option(wrapped)
    return wrapped


def reason_options(what: str) -> Callable[[Command], Command]:
    """Return --why and --undo, of taking something out; the command is handed a `reason`, None to take it in again."""

    def with_options(command: Command) -> Command:
        @wraps(command)
        def with_reason(why: str | None, undo: bool, **others: Any) -> Any:
            if undo == bool(why and why.strip()):
                raise click.UsageError(
                    f"say why the {what} is taken out, with --why TEXT; or --undo to take it in again"
                )
            return command(reason=None if undo else (why or "").strip()[:1000], **others)

        undo = click.option("--undo", is_flag=True, help=f"Take the {what} in again.")
        why = click.option("--why", metavar="TEXT", help="The reason, which is kept and shown.")
        return why(undo(with_reason))

    return with_options


def tell(words: str) -> None:
    """Say what takes long, or what should be known, beside the result."""
    from unvek.core.plain_text import clean

    click.echo(clean(words), err=True)


def plot_option(help_: str) -> Callable[[Command], Command]:
    """Return the option for a file that a result is drawn into."""
    return click.option(
        "--plot", "plot_path", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE", help=help_
    )


def check_plot(path: Path | None) -> None:
    """Refuse a file for a plot, before anything is worked out for it, whose name says no format."""
    if path is not None and path.suffix.lower() not in (".png", ".svg"):
        raise click.BadParameter(f"{path.name} ends in neither .png nor .svg", param_hint="--plot")


def plot(path: Path | None, draw: "Callable[[Any], Figure]", found: Any) -> None:
    """Draw a finding into the file that was asked for, if one was."""
    if path is None:
        return
    from unvek.show.picture.plots.look import saved

    saved(draw(found), path)
    tell(f"drawn in {path}")


def say_who(who: "Holder") -> None:
    """Say who is waited for."""
    tell(f"waiting for {who.words()}; Ctrl-C ends the waiting")


def open_logbook(where: str | None) -> "Logbook":
    """Open the logbook that was named, or the one found from here."""
    from unvek.core.logbook.place import find_place, place_named
    from unvek.core.logbook.store import Logbook

    return Logbook.open(place_named(where) if where is not None else find_place(Path.cwd()))


def place_to_write(where: str | None) -> "Place":
    """Return the logbook that was named, the one found from here, or one that is not there yet."""
    from unvek.core.errors import LogbookError
    from unvek.core.logbook.folder import DATABASE_NAME, FOLDER_NAME
    from unvek.core.logbook.place import Place, find_place, place_named

    if where is not None:
        return place_named(where)
    try:
        return find_place(Path.cwd())
    except LogbookError:
        if (Path.cwd() / FOLDER_NAME / DATABASE_NAME).exists():
            raise
        return Place(Path.cwd() / FOLDER_NAME)


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
