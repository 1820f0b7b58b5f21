"""The outputs side by side, as PNGs: variants down, items across, cut into pages where there are many."""

import math
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import NamedTuple

import numpy as np
from PIL import Image, ImageDraw

from unvek.core.errors import InputError
from unvek.core.findings.output_sheet.found import OutputCell, OutputItem, OutputRow, OutputSheet
from unvek.core.measures.points import NOT_JUDGED, POINT_WORDS, POINTS
from unvek.core.plain_text import clean
from unvek.core.units import duration_words
from unvek.show.palette import CLAY, FORM_COLOURS, INK, PAPER
from unvek.show.picture.sheet_layout import (
    CAPTION_LINE,
    HEAD_LINE,
    LABEL_INSET,
    LABEL_SIZE,
    MARGIN,
    MOST_ROWS,
    NARROWEST,
    SheetLayout,
    columns_of_page,
    label_width,
)
from unvek.show.picture.tiles.drawing import Tile, TileDrawing
from unvek.show.picture.tiles.lettering import font, wrapped
from unvek.show.picture.tiles.look import AS_IT_IS, Look
from unvek.show.picture.tiles.pictures import as_colours

FAINT = "#6d7780"
EMPTY = "#e7e1d4"
SMALL = 12
MOST_PAGES = 20
LONGEST_WHY = 40  # characters of a reason beneath an output
SCALE_WIDTH, FOOT = 240, 44


@dataclass(frozen=True, slots=True)
class Page:
    """Some of a sheet's rows and columns."""

    sheet: OutputSheet
    tiles: Sequence[Sequence[Tile]]


class Drawn(NamedTuple):
    """The files of a sheet, and how many pages more it would have had."""

    files: list[Path]
    left_out: int


def draw_sheet(sheet: OutputSheet, out: Path, look: Look = AS_IT_IS) -> Drawn:
    """Draw the sheet and write it as PNG, several where it has many pages.

    Outputs keep their proportions. InputError where nothing of a region can be shown, or a file can't be written.
    """
    drawing = TileDrawing(sheet, look)
    # By what stands in the first column it is known how many have room on a page.
    first = {row.variant: drawing.tile(row.variant, 0, row.cells[0]) for row in sheet.rows}
    parts = list(_parts(sheet, max((tile.image.width for tile in first.values() if tile.image), default=NARROWEST)))
    count = min(len(parts), MOST_PAGES)
    files = [out] if count == 1 else [out.with_stem(f"{out.stem}-{number}") for number in range(1, count + 1)]
    shown, why = 0, ""
    for (start, part), file in zip(parts, files, strict=False):
        page = _page(part, start, drawing, first)  # one at a time: all together may be large
        tiles = [tile for row in page.tiles for tile in row]
        shown += sum(tile.image is not None for tile in tiles)
        why = why or next((tile.why for tile in tiles if tile.why), "")
        if look.region is not None and not shown and file is files[-1]:
            raise InputError(f"{why or 'nothing lies in it'}; choose another --region")
        _save(_PageDrawing(page, drawing.scale).draw(), file)
    return Drawn(files, len(parts) - count)


def _save(page: Image.Image, out: Path) -> None:
    try:
        page.save(out, "PNG")
    except OSError as error:
        raise InputError(f"{out} can't be written: {error.strerror or error}") from error


def _parts(sheet: OutputSheet, side: int) -> Iterator[tuple[int, OutputSheet]]:
    """Yield what stands on each page, and where its columns begin: first all variants of the first items."""
    columns = columns_of_page(side, label_width([row.variant for row in sheet.rows]))
    for start in range(0, len(sheet.items), columns):
        for rows in _chunks_of_rows(sheet):
            yield start, replace(
                sheet, items=sheet.items[start : start + columns],
                rows=tuple(replace(row, cells=row.cells[start : start + columns]) for row in rows),
            )  # fmt: skip


def _page(part: OutputSheet, start: int, drawing: TileDrawing, first: Mapping[str, Tile]) -> Page:
    """Draw what stands on a page; `first` is what has been drawn of the first column."""

    def tile(variant: str, column: int, cell: OutputCell) -> Tile:
        return first[variant] if column == 0 else drawing.tile(variant, column, cell)

    tiles = [[tile(row.variant, start + place, cell) for place, cell in enumerate(row.cells)] for row in part.rows]
    return Page(part, tiles)


def _chunks_of_rows(sheet: OutputSheet) -> Iterator[Sequence[OutputRow]]:
    reference = [row for row in sheet.rows if row.variant == sheet.reference]
    others = [row for row in sheet.rows if row.variant != sheet.reference]
    if len(sheet.rows) <= MOST_ROWS:
        yield sheet.rows
        return
    size = MOST_ROWS - len(reference)
    for start in range(0, len(others), size):
        yield [*reference, *others[start : start + size]]


class _PageDrawing:
    """Draws a page as it is laid out."""

    def __init__(self, page: Page, scale: float | None):
        self._sheet, self._tiles, self._scale = page.sheet, page.tiles, scale
        images = [tile.image for row in page.tiles for tile in row if tile.image is not None]
        self._captions = [
            [
                self._caption(cell, tile, item)
                for cell, tile, item in zip(row.cells, tiles, page.sheet.items, strict=True)
            ]
            for row, tiles in zip(page.sheet.rows, page.tiles, strict=True)
        ]
        captions = [lines for row in self._captions for lines in row]
        widest = max((font(SMALL).getlength(line) for lines in captions for line in lines), default=0)
        side = round(max(NARROWEST, widest, *(image.width for image in images)))
        self._heads = [_head_lines(item, side) for item in page.sheet.items]
        self._layout = SheetLayout(
            side=side,
            tall=max((image.height for image in images), default=NARROWEST),
            lines=max(map(len, captions), default=1),
            head_lines=max(map(len, self._heads)),
            label_width=label_width([row.variant for row in page.sheet.rows]),
            columns=len(page.sheet.items),
            rows=len(page.sheet.rows),
            foot=FOOT if scale is not None else 0,
        )
        self._page = Image.new("RGB", (self._layout.width, self._layout.height), PAPER)
        self._draw = ImageDraw.Draw(self._page)

    def draw(self) -> Image.Image:
        self._draw.text((MARGIN, MARGIN), clean(self._sheet.title), INK, font(22))
        for column, lines in enumerate(self._heads):
            for place, line in enumerate(reversed(lines), 1):
                at = self._layout.left(column), self._layout.top(0) - 6 - HEAD_LINE * place
                self._draw.text(at, line, FAINT, font(SMALL))
        for row, (of, tiles) in enumerate(zip(self._sheet.rows, self._tiles, strict=True)):
            self._draw_label(row, of)
            for column, tile in enumerate(tiles):
                self._draw_cell(tile, row, column)
        if self._scale is not None:
            self._draw_scale(self._scale)
        return self._page

    def _draw_label(self, row: int, of: OutputRow) -> None:
        top = self._layout.top(row)
        draw_mark(self._draw, MARGIN + 9, top + 14, of.form)
        self._draw.text((MARGIN + LABEL_INSET, top + 4), clean(of.variant), INK, font(LABEL_SIZE))
        beneath = [of.form] + (["reference"] if of.variant == self._sheet.reference else [])
        for depth, words in enumerate(beneath):
            self._draw.text((MARGIN + LABEL_INSET, top + 28 + 17 * depth), words, FAINT, font(SMALL))

    def _draw_cell(self, tile: Tile, row: int, column: int) -> None:
        x, y = self._layout.left(column), self._layout.top(row)
        if tile.image is None:
            self._draw_nothing(tile.why, x, y)
            return
        self._page.paste(tile.image, (x, y))
        for place, line in enumerate(self._captions[row][column]):
            ink, size = (INK, 13) if place == 0 else (FAINT, SMALL)
            self._draw.text((x, y + self._layout.tall + 4 + CAPTION_LINE * place), line, ink, font(size))

    def _caption(self, cell: OutputCell, tile: Tile, item: OutputItem) -> list[str]:
        """What is said beneath an output: steps and time, likeness and drift, what is there of what was expected."""
        if tile.image is None:
            return []
        lines = [f"{f'{cell.steps} steps, ' if cell.steps else ''}{duration_words(cell.time_s or 0.0)}"]
        if cell.likeness is not None and self._sheet.quality:
            drift = f", drift {cell.drift:.2f}" if cell.drift is not None else ""
            lines.append(f"{clean(self._sheet.quality)} {cell.likeness:.3f}{drift}")
        if item.expect:
            lines.append(_points_words(cell.points))
        if cell.wins is not None:
            lines.append(f"wins {cell.wins:.2f} against the reference's")
        if cell.why:
            lines.append(clean(f'"{" ".join(cell.why.split())}"', LONGEST_WHY))
        return [*lines, tile.about] if tile.about else lines

    def _draw_nothing(self, why: str, x: int, y: int) -> None:
        layout = self._layout
        self._draw.rectangle((x, y, x + layout.side - 1, y + layout.tall - 1), EMPTY)
        for place, line in enumerate(wrapped(clean(why), 13, layout.side - 16, most=4)):
            self._draw.text((x + 8, y + 8 + 16 * place), line, CLAY, font(13))

    def _draw_scale(self, scale: float) -> None:
        """What the colours of the differences stand for."""
        x, y = MARGIN, self._layout.top(self._layout.rows) + 4
        steps = [[2 * scale * place / (SCALE_WIDTH - 1) - scale for place in range(SCALE_WIDTH)]] * 12
        self._page.paste(as_colours(np.array(steps), scale), (x, y))
        for place, words in ((0, f"{-scale:g} darker"), (SCALE_WIDTH // 2, "0"), (SCALE_WIDTH, f"{scale:+g} brighter")):
            length = font(SMALL).getlength(words)
            left = min(max(x, x + place - length / 2), x + SCALE_WIDTH - length)
            self._draw.text((left, y + 15), words, FAINT, font(SMALL))
        beside = "than the reference's, of full scale"
        self._draw.text((x + SCALE_WIDTH + 12, y - 2), beside, FAINT, font(SMALL))


def _head_lines(item: OutputItem, side: int) -> list[str]:
    """What a column's outputs were asked for."""
    asked = wrapped(clean(item.prompt), SMALL, side, most=3)
    expected = wrapped(f"expects {clean(', '.join(item.expect))}", SMALL, side, most=2) if item.expect else []
    return [*asked, *expected, item.which]


def _points_words(points: Sequence[float | None]) -> str:
    """Word what is there of what was expected: "3 there, 1 missing"."""
    if all(point is None for point in points):
        return f"{len(points)} expected: {NOT_JUDGED}"
    counts = Counter(NOT_JUDGED if point is None else POINT_WORDS[point] for point in points)
    return ", ".join(f"{counts[words]} {words}" for words in (*POINTS, NOT_JUDGED) if counts[words])


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
