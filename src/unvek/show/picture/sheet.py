"""The outputs side by side, as one PNG: variants down, items across."""

import math
from pathlib import Path

from PIL import Image, ImageDraw

from unvek.core.errors import InputError
from unvek.core.findings.output_sheet import OutputCell, OutputSheet
from unvek.core.pictures import NoPictureError, Picture, open_picture, shown_side
from unvek.core.plain_text import clean
from unvek.core.units import duration_words
from unvek.show.palette import CLAY, FORM_COLOURS, INK, PAPER
from unvek.show.picture.lettering import font, wrapped
from unvek.show.picture.sheet_layout import (
    HEAD,
    LABEL_INSET,
    LABEL_SIZE,
    LARGEST_SIDE,
    MARGIN,
    TEXT_INSET,
    TEXT_LINE,
    TEXT_SIZE,
    Pictures,
    SheetLayout,
    lay_out_sheet,
    lines_of_text,
)

FAINT = "#6d7780"
EMPTY = "#e7e1d4"
CARD = "#fffdf8"


def draw_sheet(sheet: OutputSheet, out: Path, zoom: int | None = None) -> None:
    """Draw the sheet and write it as PNG. Outputs keep their proportions; enlarged, their pixels stay visible."""
    paths = dict.fromkeys(cell.picture for row in sheet.rows for cell in row.cells if cell.picture)
    side = min(LARGEST_SIDE, shown_side(len(paths)))
    pictures = {path: _opened(path, side) for path in paths}
    drawing = _SheetDrawing(sheet, pictures, lay_out_sheet(sheet, pictures, zoom))
    drawing.draw()
    try:
        drawing.page.save(out, "PNG")
    except OSError as error:
        raise InputError(f"{out} can't be written: {error.strerror or error}") from error


def _opened(path: Path, side: int) -> Picture | None:
    try:
        return open_picture(path, side)
    except NoPictureError:
        return None


class _SheetDrawing:
    """Draws a sheet as it is laid out."""

    def __init__(self, sheet: OutputSheet, pictures: Pictures, layout: SheetLayout):
        self._sheet, self._pictures, self._layout = sheet, pictures, layout
        self.page = Image.new("RGB", (layout.width, layout.height), PAPER)
        self._draw = ImageDraw.Draw(self.page)

    def draw(self) -> None:
        self._draw.text((MARGIN, MARGIN), clean(self._sheet.title), INK, font(22))
        for column in range(len(self._sheet.items)):
            self._draw_head(column)
        for row, of in enumerate(self._sheet.rows):
            self._draw_label(row)
            for column, cell in enumerate(of.cells):
                self._draw_cell(cell, self._layout.left(column), self._layout.top(row))

    def _draw_head(self, column: int) -> None:
        """What a column's outputs were asked for, from the bottom up."""
        item, x = self._sheet.items[column], self._layout.left(column)
        lines = [*wrapped(clean(item.prompt), TEXT_SIZE, self._layout.side, most=3), f"seed {item.seed}"]
        for place, line in enumerate(reversed(lines)):
            self._draw.text((x, MARGIN + HEAD - 22 - 15 * place), line, FAINT, font(TEXT_SIZE))

    def _draw_label(self, row: int) -> None:
        of, top = self._sheet.rows[row], self._layout.top(row)
        draw_mark(self._draw, MARGIN + 9, top + 14, of.form)
        self._draw.text((MARGIN + LABEL_INSET, top + 4), clean(of.variant), INK, font(LABEL_SIZE))
        beneath = [of.form] + (["reference"] if of.variant == self._sheet.reference else [])
        for depth, words in enumerate(beneath):
            self._draw.text((MARGIN + LABEL_INSET, top + 28 + 17 * depth), words, FAINT, font(TEXT_SIZE))

    def _draw_cell(self, cell: OutputCell, x: int, y: int) -> None:
        picture = self._pictures.get(cell.picture) if cell.picture else None
        if cell.text is not None:
            self._draw_text(cell.text, x, y)
        elif picture is not None:
            self._draw_picture(picture, x, y)
        else:
            self._draw_nothing(cell.missing or (cell.status if cell.picture is None else "no readable picture"), x, y)
            return
        steps, below = f"{cell.steps} steps, " if cell.steps else "", y + self._layout.tall
        self._draw.text((x, below + 4), f"{steps}{duration_words(cell.time_s or 0.0)}", INK, font(13))
        if cell.likeness is not None and self._sheet.quality:
            words = f"{clean(self._sheet.quality)} {cell.likeness:.3f}"
            self._draw.text((x, below + 21), words, FAINT, font(TEXT_SIZE))

    def _draw_text(self, text: str, x: int, y: int) -> None:
        """Write as much of a text as its place holds; what is left out is told by an ellipsis."""
        layout = self._layout
        self._draw.rectangle((x, y, x + layout.side - 1, y + layout.tall - 1), CARD)
        lines = lines_of_text(text, layout.side, (layout.tall - 2 * TEXT_INSET) // TEXT_LINE)
        for place, line in enumerate(lines):
            self._draw.text((x + TEXT_INSET, y + TEXT_INSET + TEXT_LINE * place), line, INK, font(TEXT_SIZE))

    def _draw_picture(self, picture: Picture, x: int, y: int) -> None:
        factor = self._layout.factor
        size = (max(1, round(picture.width * factor)), max(1, round(picture.height * factor)))
        enlarged = picture.image.resize(size, Image.Resampling.NEAREST if factor >= 1 else Image.Resampling.LANCZOS)
        self.page.paste(enlarged, (x, y))

    def _draw_nothing(self, why: str, x: int, y: int) -> None:
        layout = self._layout
        self._draw.rectangle((x, y, x + layout.side - 1, y + layout.tall - 1), EMPTY)
        for place, line in enumerate(wrapped(why, 13, layout.side - 2 * TEXT_INSET, most=3)):
            self._draw.text((x + TEXT_INSET, y + TEXT_INSET + TEXT_LINE * place), line, CLAY, font(13))


def draw_mark(draw: ImageDraw.ImageDraw, x: int, y: int, form: str) -> None:
    """Draw a form's shape around a centre: disc, square, triangle, diamond, star."""
    colour, r = FORM_COLOURS[form], 8
    match form:
        case "full":
            draw.ellipse((x - r, y - r, x + r, y + r), colour)
        case "quantized":
            draw.rectangle((x - r + 1, y - r + 1, x + r - 1, y + r - 1), colour)
        case "distilled":
            draw.polygon([(x, y - r), (x + r, y + r - 2), (x - r, y + r - 2)], colour)
        case "tuned":
            draw.polygon([(x, y - r - 1), (x + r + 1, y), (x, y + r + 1), (x - r - 1, y)], colour)
        case _:
            turns = [math.radians(-90 + 36 * point) for point in range(10)]
            radii = [r + 2 if point % 2 == 0 else r * 0.45 for point in range(10)]
            draw.polygon(
                [(x + c * math.cos(t), y + c * math.sin(t)) for t, c in zip(turns, radii, strict=True)], colour
            )
