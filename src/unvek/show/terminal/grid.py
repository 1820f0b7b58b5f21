"""A table without boxes: columns with their unit in the head, numbers on their decimal points, one thin rule.

What does not fit the window's width is left out, the least important columns first, and it is said.
"""

from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass, field

from rich.cells import cell_len
from rich.console import Console
from rich.text import Text

from unvek.core.plain_text import clean
from unvek.show.terminal.figures import UNKNOWN

GAP = 2
NARROWEST_STRIP = 18
WIDEST_STRIP = 60
HEAD_LINES = 2


@dataclass(slots=True)
class Column:
    """One column. Numbers stand on their decimal points; `keep` is how long it stays as the window narrows.

    `whole_name` is what it is called away from its neighbours, where its head alone would not say it.
    """

    head: str
    unit: str = ""
    numeric: bool = True
    keep: int = 5
    whole_name: str = ""
    cells: list[Text] = field(default_factory=list)

    def add(self, cell: str | Text) -> None:
        self.cells.append(Text(cell) if isinstance(cell, str) else cell)

    def laid_out(self) -> list[Text]:
        """Return the cells padded to one width, below head and unit."""
        cells = _on_decimal_points(self.cells) if self.numeric else self.cells
        heads = [Text(self.head), Text(self.unit, style="dim")]
        width = max(cell_len(cell.plain) for cell in (*cells, *heads))
        return [_padded(cell, width, right=self.numeric) for cell in (*heads, *cells)]


@dataclass(slots=True)
class StripColumn:
    """The column that takes the room that is left: its head and rows are drawn once the width is known.

    It stands right after the first columns, the names, where the eye begins.
    """

    head: str
    draw: Callable[[int], tuple[Text, list[Text]]]
    after: int = 1


def print_grid(
    out: Console, columns: Sequence[Column], strip: StripColumn | None = None, breaks: Collection[int] = ()
) -> None:
    """Print the table, with an empty line before the rows whose places are breaks. Without room there is no strip."""
    kept, dropped = _fitting(list(columns), out.width - (NARROWEST_STRIP + GAP if strip else 0))
    laid_out = [column.laid_out() for column in kept]
    used = sum(cell_len(column[0].plain) + GAP for column in laid_out)
    if strip is not None and out.width - used >= NARROWEST_STRIP:
        width = min(WIDEST_STRIP, out.width - used)
        scale, rows = strip.draw(width)
        laid_out.insert(strip.after, [_padded(cell, width, False) for cell in (Text(strip.head), scale, *rows)])
    lines = [Text(" " * GAP).join(cells) for cells in zip(*laid_out, strict=True)]
    total = max(cell_len(line.plain) for line in lines)
    for place, line in enumerate(lines):
        if place == 1 and not line.plain.strip():
            continue
        line.rstrip()
        if place - HEAD_LINES in breaks:
            out.print()
        out.print(line, no_wrap=True, overflow="crop", crop=True)
        if place == 1 or (place == 0 and not lines[1].plain.strip()):
            out.print(Text("─" * min(total, out.width), style="dim"))
    if dropped:
        out.print()
        out.print(Text(f"Left out for want of room: {', '.join(dropped)}.", style="dim"))


def _fitting(columns: list[Column], width: int) -> tuple[list[Column], list[str]]:
    dropped: list[str] = []
    while len(columns) > 2 and sum(cell_len(c.laid_out()[0].plain) + GAP for c in columns) > width:
        least = min(columns, key=lambda column: column.keep)
        columns.remove(least)
        dropped.append(least.whole_name or least.head)
    return columns, dropped


def told_of(columns: Iterable[Column]) -> list[Column]:
    """Return the columns in which anything stands."""
    return [column for column in columns if any(cell.plain not in (UNKNOWN, "") for cell in column.cells)]


def markdown(columns: Iterable[Column]) -> str:
    """Return the columns as a Markdown table; what stands in a cell can't end it."""
    columns = list(columns)
    heads = [f"{column.head} ({column.unit})" if column.unit else column.head for column in columns]
    rules = ["---:" if column.numeric else ":---" for column in columns]
    rows = [list(row) for row in zip(*(column.cells for column in columns), strict=True)]
    lines = [heads, rules, *([_in_markdown(clean(cell.plain)) for cell in row] for row in rows)]
    return "\n".join("| " + " | ".join(line) + " |" for line in lines)


def _in_markdown(text: str) -> str:
    for character in "\\`*_[]<>|":
        text = text.replace(character, "\\" + character)
    return text


def _on_decimal_points(cells: Sequence[Text]) -> list[Text]:
    """Pad numbers on the right so that their points line up; a cell that is no number ends at the point."""
    after = [_after_point(cell.plain) for cell in cells]
    most = max(after, default=0)
    return [cell + Text(" " * (most - count)) if _is_number(cell.plain) else cell
            for cell, count in zip(cells, after, strict=True)]  # fmt: skip


def _is_number(text: str) -> bool:
    return text[:1].isdigit() or text[:2].lstrip("-+").isdigit()


def _after_point(text: str) -> int:
    """How many columns stand from the decimal point on."""
    if not _is_number(text):
        return 0
    place = text.find(".")
    digits = len(text) - len(text.lstrip("-+0123456789"))
    return cell_len(text) - (place if place >= 0 else digits)


def _padded(cell: Text, width: int, right: bool) -> Text:
    room = Text(" " * (width - cell_len(cell.plain)))
    return room + cell if right else cell + room
