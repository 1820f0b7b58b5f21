"""The terminal: a console that knows whether it is one."""

import os
import sys
from collections.abc import Iterator

from rich.console import Console, ConsoleOptions, RenderableType
from rich.segment import Segment
from rich.text import Text

from unvek.core.plain_text import clean_text

NARROWEST = 60
PIPE_WIDTH = 120
WIDEST = 1000
WIDTH: list[int] = []  # as the user has asked for it, if so


class PlainConsole(Console):
    """A console that text from outside can do nothing on, even where nobody thought of making it plain beforehand."""

    def render(self, renderable: RenderableType, options: ConsoleOptions | None = None) -> Iterator[Segment]:
        for segment in super().render(renderable, options):
            is_plain = segment.control or segment.text == "\n" or segment.text.isprintable()
            yield segment if is_plain else Segment(clean_text(segment.text), segment.style)


def _wished() -> int | None:
    """Return the width that was asked for, by an option or, in a pipe, by the environment."""
    if WIDTH:
        return WIDTH[-1]
    said = os.environ.get("COLUMNS", "")
    return min(int(said), WIDEST) if said.isdecimal() and len(said) < 6 and int(said) else None


def console(to_stderr: bool = False) -> Console:
    """Return a console on standard output or error: colours and the window's width there, plain text in a pipe."""
    stream = sys.stderr if to_stderr else sys.stdout
    width = None if stream.isatty() and not WIDTH else _wished() or PIPE_WIDTH
    made = PlainConsole(file=stream, highlight=False, markup=False, emoji=False, soft_wrap=False, width=width)
    if made.width < NARROWEST:
        made.width = NARROWEST
    return made


def faint(text: object) -> Text:
    return Text(str(text), style="dim")
