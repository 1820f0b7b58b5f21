"""Two outputs side by side in a terminal: pictures in half-blocks, texts beside each other."""

import io
from collections.abc import Sequence

from rich.cells import cell_len
from rich.console import Console
from rich.text import Text

from unvek.core.judging.outputs import FRAMES, PICTURE, TEXT, Content
from unvek.core.pictures import open_picture
from unvek.core.plain_text import clean_lines
from unvek.show.terminal.console import faint
from unvek.show.terminal.half_blocks import half_blocks

GAP = 3
ROWS_BESIDE = 8  # of the window, for what stands above and below
LARGEST_SIDE = 400  # pixels: more than any terminal shows


def print_outputs(out: Console, contents: Sequence[Content], heads: Sequence[str]) -> None:
    """Print outputs in the width and height that there are."""
    columns = (out.width - GAP * (len(contents) - 1)) // len(contents)
    rows = max(6, out.height - ROWS_BESIDE)
    blocks = [_block(content, columns, rows) for content in contents]
    heads_shown = [faint(head) for head in heads]
    for line in _beside([[head, *block] for head, block in zip(heads_shown, blocks, strict=True)], columns):
        out.print(line, no_wrap=True, overflow="crop", crop=True)


def _block(content: Content, columns: int, rows: int) -> list[Text]:
    if content.sort in (PICTURE, FRAMES):
        picture = open_picture(io.BytesIO(content.files[0]), LARGEST_SIDE).image
        return half_blocks(picture.width, picture.height, picture.tobytes(), columns, rows)
    if content.sort == TEXT:
        return _wrapped(content.text, columns)[: 4 * rows]
    return [faint(f"(a {content.sort}: a page plays it, see 'unvek judge ballot')"[:columns])]


def _wrapped(text: str, columns: int) -> list[Text]:
    """Return a text as lines that are no wider."""
    lines: list[Text] = []
    for whole in clean_lines(text):
        line = ""
        for word in whole.split(" "):
            if line and cell_len(line) + 1 + cell_len(word) > columns:
                lines.append(Text(line))
                line = ""
            line = f"{line} {word}" if line else word[:columns]
        lines.append(Text(line))
    return lines


def _beside(blocks: Sequence[Sequence[Text]], columns: int) -> list[Text]:
    lines = []
    for place in range(max(map(len, blocks))):
        line = Text()
        for block in blocks:
            cell = block[place] if place < len(block) else Text()
            line += cell + Text(" " * (columns + GAP - cell_len(cell.plain)))
        line.rstrip()
        lines.append(line)
    return lines
