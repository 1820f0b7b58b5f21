"""Where everything stands on the sheet of outputs, in pixels, before anything is drawn."""

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from unvek.core.errors import InputError
from unvek.core.findings.output_sheet import OutputSheet
from unvek.core.pictures import Picture
from unvek.core.plain_text import clean
from unvek.show.picture.lettering import font, text_lines

MARGIN, GAP = 28, 16
HEAD, CAPTION = 112, 42
LARGEST_SIDE, AIMED_SIDE = 512, 140  # of one output on the sheet
LARGEST_SHEET = 64_000_000  # pixels
TEXT_SIDE, TEXT_INSET, TEXT_LINE, TEXT_SIZE = 190, 8, 16, 12
MOST_TEXT_LINES = 16
LABEL_SIZE, LABEL_INSET, LABEL_ROOM = 17, 28, 40

Pictures = Mapping[Path, Picture | None]  # None: no readable picture


@dataclass(frozen=True, slots=True, kw_only=True)
class SheetLayout:
    """Every output has a place of side x tall; pictures are drawn `factor` times as large as they are."""

    side: int
    tall: int
    factor: float
    label_width: int
    columns: int
    rows: int

    @property
    def width(self) -> int:
        return 2 * MARGIN + self.label_width + self.columns * (self.side + GAP)

    @property
    def height(self) -> int:
        return self.top(self.rows) + MARGIN // 2

    def left(self, column: int) -> int:
        return MARGIN + self.label_width + column * (self.side + GAP)

    def top(self, row: int) -> int:
        return MARGIN + HEAD + row * (self.tall + CAPTION + GAP)


def lay_out_sheet(sheet: OutputSheet, pictures: Pictures, zoom: int | None = None) -> SheetLayout:
    """Lay the sheet out. Outputs keep their proportions. InputError where it would become too large."""
    with_texts = any(cell.text for row in sheet.rows for cell in row.cells)
    aimed = TEXT_SIDE if with_texts else AIMED_SIDE
    largest = max((max(picture.width, picture.height) for picture in pictures.values() if picture), default=aimed)
    factor = float(zoom or max(1, round(aimed / largest)))
    side = min(LARGEST_SIDE, round(largest * factor))
    layout = SheetLayout(
        side=side,
        tall=_tallest_text(sheet) if with_texts and not pictures else side,
        factor=min(factor, side / largest),
        label_width=LABEL_ROOM + max(round(font(LABEL_SIZE).getlength(clean(row.variant))) for row in sheet.rows),
        columns=len(sheet.items),
        rows=len(sheet.rows),
    )
    if layout.width * layout.height > LARGEST_SHEET:
        raise InputError(
            f"the sheet would have {layout.width} x {layout.height} pixels; choose fewer with --tasks or --only, or a "
            "smaller --zoom"
        )
    return layout


def lines_of_text(text: str, layout_side: int, most: int) -> list[str]:
    """Return the lines of a text that stands in a place of this width."""
    return text_lines(text, TEXT_SIZE, layout_side - 2 * TEXT_INSET, most)


def _tallest_text(sheet: OutputSheet) -> int:
    """Return how tall a place must be for the longest text, up to a bound."""
    texts = [cell.text for row in sheet.rows for cell in row.cells if cell.text]
    most = max((len(lines_of_text(text, TEXT_SIDE, MOST_TEXT_LINES)) for text in texts), default=1)
    return most * TEXT_LINE + 2 * TEXT_INSET
