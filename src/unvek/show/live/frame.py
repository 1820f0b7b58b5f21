"""What stands on the screen: only lines that have changed are written, so that a slow link is enough."""

import os
from collections.abc import Sequence

from rich.color import ColorSystem
from rich.console import Console
from rich.text import Text

ENTER, LEAVE = "\x1b[?1049h\x1b[?25l", "\x1b[?25h\x1b[?1049l"  # the terminal's other screen, without a cursor
CLEAR, ERASE_REST = "\x1b[2J", "\x1b[K"
COLOURS = {"standard": ColorSystem.STANDARD, "256": ColorSystem.EIGHT_BIT, "truecolor": ColorSystem.TRUECOLOR}


class Frame:
    """Draws lines onto a terminal's other screen. Use as a context manager."""

    def __init__(self, console: Console):
        self._console = console
        self._shown: list[Text] = []
        self._size = (0, 0)

    def __enter__(self) -> "Frame":
        self._write(ENTER)
        return self

    def __exit__(self, *_: object) -> None:
        self._write(LEAVE)

    def size(self) -> tuple[int, int]:
        """Return (width, height) in characters; asked anew, since a window may be resized."""
        width, height = self._console.size
        return width, height

    def draw(self, lines: Sequence[Text], size: tuple[int, int]) -> None:
        """Bring the screen to these lines. After a resize everything is drawn anew."""
        parts = []
        if size != self._size:
            self._size, self._shown = size, []
            parts.append(CLEAR)
        for place in range(max(len(lines), len(self._shown))):
            line = lines[place] if place < len(lines) else Text()
            before = self._shown[place] if place < len(self._shown) else Text()
            if line != before or line.style != before.style:
                # A full line leaves the cursor on its last character, which erasing to the end would take away.
                rest = "" if line.cell_len >= size[0] else ERASE_REST
                parts.append(f"\x1b[{place + 1};1H{self._ansi(line)}\x1b[0m{rest}")
        self._shown = list(lines)
        if parts:
            self._write("".join(parts))

    def _ansi(self, line: Text) -> str:
        colours = COLOURS.get(self._console.color_system or "")
        rendered = []
        for segment in Text.assemble(line).render(self._console):  # assembled, its own style is one of its spans
            style = segment.style
            if style is None or colours is None:
                rendered.append(segment.text)
            else:
                rendered.append(
                    (style.without_color if self._console.no_color else style).render(
                        segment.text, color_system=colours
                    )
                )
        return "".join(rendered)

    def _write(self, text: str) -> None:
        data = text.encode("utf-8", "replace")
        fd = self._console.file.fileno()
        while data:
            data = data[os.write(fd, data) :]
