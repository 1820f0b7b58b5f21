"""The command line: one file a command. A command is imported when it is called, so that starting is quick."""

import gc
import io
import sys

import click

from unvek import __version__
from unvek.cli.lazy import LazyGroup

# Each command with its one line, so that the list of commands needs none of them imported.
COMMANDS = {
    "demo": "Lay out the demo project, run it, show what came out.",
    "init": "Write a first plan, from a script, weights, a program or a server.",
    "weigh": "Say what is in weights, and what fits.",
    "rig": "Show this machine, its fingerprint, and how quiet it is.",
    "check": "Say every error in a plan, and the runs it would make.",
    "try": "Try one variant on one prompt, now.",
    "run": "Make the runs of a plan, and watch them.",
    "watch": "Watch what runs on this machine, from another terminal.",
    "clock": "Time by hand what can't be started from here.",
    "log": "List the runs, or how well they were foreseen.",
    "show": "Show one run whole.",
    "note": "Put a remark on a run.",
    "void": "Take a run out of every result, with the reason.",
    "compare": "Hold the variants against the reference.",
    "curve": "Show how a measure answers to a setting, and where more stops paying.",
    "measure": "Work out what the plan measures of the outputs.",
    "audit": "Say whether the comparison is fair, and what is not.",
    "tradeoff": "Say which variants are worth considering, and which to pick.",
    "budget": "Say what drafts with one variant and finals with another take.",
    "report": "Write the whole answer as one page to send.",
    "import": "Bring in timings from elsewhere.",
    "team": "Make a logbook that a team shares, in a database.",
    "merge": "Put other logbooks into this one.",
    "export": "Write the runs out as CSV, JSON Lines or Parquet.",
    "judge": "Have outputs judged blind, by people or models.",
    "sheet": "Put the outputs side by side in one picture.",
    "help": "Show a page of the docs here.",
    "completion": "Print what makes a shell complete commands.",
}
MODULES = {"try": "trial", "import": "importing", "help": "helping"}  # where a command's name can't be a module's
EXIT_FAULT, EXIT_INPUT, EXIT_STOPPED = 1, 2, 130
OBJECTS_BETWEEN_COLLECTIONS = 300_000


@click.group(
    cls=LazyGroup, lines=COMMANDS, room="unvek.cli", modules=MODULES,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100},
)  # fmt: skip
@click.version_option(__version__, prog_name="unvek")
@click.option("--debug", is_flag=True, help="Show the traceback when something goes wrong.")
def unvek(debug: bool) -> None:
    """Run model variants under equal conditions, and see which trade of speed, memory and quality is worth making.

    New here? 'unvek demo' lays out a small project with real models, runs it, and shows the result.
    """


def main() -> None:
    """Run the command line, and turn whatever goes wrong into a sentence and an exit code."""
    # What is imported stays: to look through it for garbage every 700 objects takes a tenth of a short command's time.
    gc.set_threshold(OBJECTS_BETWEEN_COLLECTIONS)
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="replace")  # a terminal that knows no such sign gets another one, not an error
    try:
        code = unvek.main(prog_name="unvek", standalone_mode=False)
    except click.ClickException as error:
        said = io.StringIO()
        error.show(said)
        _echo(said.getvalue().removesuffix("\n"))
        code = error.exit_code
    except (click.Abort, KeyboardInterrupt):
        code = EXIT_STOPPED
    except BrokenPipeError:
        _forget_output()
        code = EXIT_FAULT
    except Exception as error:
        code = _show(error) if "--debug" in sys.argv else _say(error)
    sys.exit(code if isinstance(code, int) else 0)


def _echo(words: str) -> None:
    """Say what went wrong; it may quote a file, a name or another user."""
    from unvek.core.plain_text import clean_text

    click.echo(clean_text(words), err=True)


def _show(error: Exception) -> int:
    """Show where something went wrong: what it says may be hostile here as anywhere."""
    from traceback import format_exception

    _echo("".join(format_exception(error)).rstrip())
    return EXIT_FAULT


def _say(error: Exception) -> int:
    from unvek.core.errors import UnvekError

    code, words = EXIT_INPUT, str(error)
    if isinstance(error, OSError) and error.filename:
        words = f"{error.filename!s}: {error.strerror}"
    elif not isinstance(error, UnvekError):
        code = EXIT_FAULT
        words = (f"something went wrong within Unvek: {type(error).__name__}: {error}\n"
                 "Nothing that was recorded is lost. 'unvek --debug ...' shows where it happened.")  # fmt: skip
    _echo(f"unvek: {words}")
    return code


def _forget_output() -> None:
    """Whoever read our output has gone: let nothing more be written to it, not even at exit."""
    import os

    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
