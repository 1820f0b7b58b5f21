"""A page of the docs as text for a terminal: what leads to another page says how to open that here."""

import re
from collections.abc import Iterable
from typing import ClassVar

from rich.console import Console, ConsoleOptions
from rich.markdown import Heading, Markdown, MarkdownElement
from rich.text import Text
from rich.theme import Theme

from unvek.show.terminal.console import console

PICTURE = re.compile(r"!\[([^]]*)\]\([^)]*\)")
TO_PAGE = re.compile(r"\[([^]]*)\]\((?:\.\./)?(?:docs/)?([a-z-]+)\.md(?:#[^)]*)?\)", re.DOTALL)
TO_ELSEWHERE = re.compile(r"\[([^]]*)\]\(([^)]*)\)", re.DOTALL)
LONGEST_LINE = 100  # longer ones are hard to read
CALM = Theme({
    "markdown.code": "bold", "markdown.h1": "bold", "markdown.h2": "bold", "markdown.table.border": "dim",
    "markdown.table.header": "bold", "markdown.item.bullet": "none",
})  # fmt: skip


class _LeftHeading(Heading):
    """A heading that begins where its text begins."""

    def __rich_console__(self, _: Console, __: ConsoleOptions) -> Iterable[Text]:
        self.text.justify = "left"
        yield self.text


class _Page(Markdown):
    elements: ClassVar[dict[str, type[MarkdownElement]]] = {**Markdown.elements, "heading_open": _LeftHeading}


def as_terminal_text(page: str) -> str:
    """Return a page's text with the terminal's colours, as wide as the terminal is, up to LONGEST_LINE."""
    page = PICTURE.sub(r"(a picture: \1)", page)
    page = TO_PAGE.sub(r"\1 (`unvek help \2`)", page)
    page = TO_ELSEWHERE.sub(r"\1 (`\2`)", page)
    out = console()
    out.push_theme(CALM)
    with out.capture() as captured:
        out.print(_Page(page, hyperlinks=False, code_theme="ansi_dark"), width=min(out.width, LONGEST_LINE))
    return "".join(f"{line.rstrip()}\n" for line in captured.get().splitlines())
