"""The terminal: a console that knows whether it is one, and text that can't do anything to it."""

import sys
import unicodedata
from functools import cache

from rich.console import Console
from rich.text import Text

NARROWEST = 60
PIPE_WIDTH = 120


def console(to_stderr: bool = False) -> Console:
    """Return a console on standard output or error: colours and the window's width there, plain text in a pipe."""
    stream = sys.stderr if to_stderr else sys.stdout
    width = None if stream.isatty() else PIPE_WIDTH
    made = Console(file=stream, highlight=False, markup=False, emoji=False, soft_wrap=False, width=width)
    if made.width < NARROWEST:
        made.width = NARROWEST
    return made


def clean(text: object, longest: int = 10_000) -> str:
    """Return a text on one line that can't move the cursor, colour anything or hide what it says.

    Names, prompts, errors and whatever models print come from outside: control codes and characters that turn the
    direction of writing are replaced by a visible mark.
    """
    return "".join(_shown(character) for character in str(text)[:longest])


def clean_lines(text: str) -> list[str]:
    """Return the lines of a text, each clean."""
    return [clean(line.expandtabs(4)) for line in text.splitlines()]


@cache
def _shown(character: str) -> str:
    if character in "\n\t\r":
        return " "
    return "�" if unicodedata.category(character) in ("Cc", "Cf", "Cs", "Co", "Zl", "Zp") else character


def faint(text: object) -> Text:
    return Text(str(text), style="dim")
