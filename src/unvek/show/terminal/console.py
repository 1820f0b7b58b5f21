"""The terminal: a console that knows whether it is one."""

import sys

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


def faint(text: object) -> Text:
    return Text(str(text), style="dim")
