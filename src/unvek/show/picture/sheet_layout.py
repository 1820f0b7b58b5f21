"""Where everything stands on a page of the sheet of outputs, in pixels, before anything is drawn."""

from collections.abc import Sequence
from dataclasses import dataclass

from unvek.core.plain_text import clean
from unvek.show.picture.tiles.lettering import font

MARGIN, GAP = 28, 16
TITLE, HEAD_LINE, CAPTION_LINE = 40, 15, 17
LABEL_SIZE, LABEL_INSET, LABEL_ROOM = 17, 28, 40
WIDEST_PAGE = 2000  # pixels, but for a page of one column
MOST_ROWS = 24  # variants on one page
NARROWEST = 120  # of a column: what is said beneath has room then


@dataclass(frozen=True, slots=True, kw_only=True)
class SheetLayout:
    """Every output has a place of side x tall, with lines beneath that say what it is."""

    side: int
    tall: int
    lines: int
    head_lines: int
    label_width: int
    columns: int
    rows: int
    foot: int = 0

    @property
    def head(self) -> int:
        return TITLE + HEAD_LINE * self.head_lines + 10

    @property
    def caption(self) -> int:
        return CAPTION_LINE * self.lines + 8

    @property
    def width(self) -> int:
        return 2 * MARGIN + self.label_width + self.columns * (self.side + GAP)

    @property
    def height(self) -> int:
        return self.top(self.rows) + self.foot + MARGIN // 2

    def left(self, column: int) -> int:
        return MARGIN + self.label_width + column * (self.side + GAP)

    def top(self, row: int) -> int:
        return MARGIN + self.head + row * (self.tall + self.caption + GAP)


def label_width(names: Sequence[str]) -> int:
    return LABEL_ROOM + max(round(font(LABEL_SIZE).getlength(clean(name))) for name in names)


def columns_of_page(side: int, labels: int) -> int:
    """Return how many columns a page has room for."""
    return max(1, (WIDEST_PAGE - 2 * MARGIN - labels) // (max(side, NARROWEST) + GAP))
