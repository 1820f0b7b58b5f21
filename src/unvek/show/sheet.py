"""The outputs side by side, as one PNG: variants down, items across."""

import math
from functools import cache
from pathlib import Path

from PIL import Image, ImageDraw, ImageFont

from unvek.core.errors import InputError
from unvek.core.findings.kept_outputs import open_picture
from unvek.core.findings.outputs import OutputCell, OutputRow, OutputSheet
from unvek.core.units import duration_words
from unvek.show.palette import CLAY, FORM_COLOURS, INK, PAPER
from unvek.show.terminal import clean, clean_lines

MARGIN, GAP = 28, 16
HEAD, CAPTION = 112, 42
LARGEST_SIDE, AIMED_SIDE = 512, 140  # pixels of one output on the sheet
LARGEST_SHEET = 200_000_000  # pixels
FAINT = "#6d7780"
EMPTY = "#e7e1d4"
CARD = "#fffdf8"
TEXT_SIDE, TEXT_INSET, TEXT_LINE = 190, 8, 16  # pixels
MOST_TEXT_LINES = 16
LONGEST_DRAWN = 20_000  # characters looked at of one text

Font = ImageFont.ImageFont | ImageFont.FreeTypeFont


def draw_sheet(sheet: OutputSheet, out: Path, zoom: int | None = None) -> None:
    """Draw the sheet and write it as PNG. Outputs keep their proportions; enlarged, their pixels stay visible."""
    pictures = {cell.picture: open_picture(cell.picture) for row in sheet.rows for cell in row.cells if cell.picture}
    with_texts = any(cell.text for row in sheet.rows for cell in row.cells)
    aimed = TEXT_SIDE if with_texts else AIMED_SIDE
    largest = max((max(picture.size) for picture in pictures.values() if picture), default=aimed)
    factor = float(zoom or max(1, round(aimed / largest)))
    side = min(LARGEST_SIDE, round(largest * factor))
    factor = min(factor, side / largest)
    tall = _tallest_text(sheet) if with_texts and not pictures else side
    label_width = 40 + max(round(_font(17).getlength(clean(row.variant))) for row in sheet.rows)
    width = 2 * MARGIN + label_width + len(sheet.items) * (side + GAP)
    height = MARGIN + HEAD + len(sheet.rows) * (tall + CAPTION + GAP) + MARGIN // 2
    if width * height > LARGEST_SHEET:
        raise InputError(
            f"the sheet would have {width} x {height} pixels; choose fewer with --tasks or --only, or a smaller --zoom"
        )
    page = Image.new("RGB", (width, height), PAPER)
    draw = ImageDraw.Draw(page)
    draw.text((MARGIN, MARGIN), clean(sheet.title), INK, _font(22))
    for column, item in enumerate(sheet.items):
        x = MARGIN + label_width + column * (side + GAP)
        lines = [*_wrapped(clean(item.prompt), _font(12), side, most=3), f"seed {item.seed}"]
        for place, line in enumerate(reversed(lines)):
            draw.text((x, MARGIN + HEAD - 22 - 15 * place), line, FAINT, _font(12))
    for place, row in enumerate(sheet.rows):
        top = MARGIN + HEAD + place * (tall + CAPTION + GAP)
        _mark(draw, MARGIN + 9, top + 14, row.form)
        draw.text((MARGIN + 28, top + 4), clean(row.variant), INK, _font(17))
        for depth, words in enumerate(_row_words(row, sheet)):
            draw.text((MARGIN + 28, top + 28 + 17 * depth), words, FAINT, _font(12))
        for column, cell in enumerate(row.cells):
            corner = (MARGIN + label_width + column * (side + GAP), top)
            _draw_cell(page, draw, cell, pictures, corner, (side, tall), factor, sheet)
    try:
        page.save(out, "PNG")
    except OSError as error:
        raise InputError(f"{out} can't be written: {error.strerror or error}") from error


def _draw_cell(page: Image.Image, draw: ImageDraw.ImageDraw, cell: OutputCell, pictures: dict[Path, Image.Image | None],
               corner: tuple[int, int], size: tuple[int, int], factor: float, sheet: OutputSheet) -> None:  # fmt: skip
    x, y = corner
    side, tall = size
    picture = pictures.get(cell.picture) if cell.picture else None
    if cell.text is not None:
        _draw_text(draw, cell.text, corner, size)
    elif picture is None:
        draw.rectangle((x, y, x + side - 1, y + tall - 1), EMPTY)
        words = cell.missing or (cell.status if cell.picture is None else "no readable picture")
        for place, line in enumerate(_wrapped(words, _font(13), side - 2 * TEXT_INSET, most=3)):
            draw.text((x + TEXT_INSET, y + TEXT_INSET + TEXT_LINE * place), line, CLAY, _font(13))
        return
    else:
        drawn = (max(1, round(picture.width * factor)), max(1, round(picture.height * factor)))
        enlarged = picture.resize(drawn, Image.Resampling.NEAREST if factor >= 1 else Image.Resampling.LANCZOS)
        page.paste(enlarged, corner)
    steps = f"{cell.steps} steps, " if cell.steps else ""
    draw.text((x, y + tall + 4), f"{steps}{duration_words(cell.time_s or 0.0)}", INK, _font(13))
    if cell.likeness is not None and sheet.quality:
        draw.text((x, y + tall + 21), f"{clean(sheet.quality)} {cell.likeness:.3f}", FAINT, _font(12))


def _draw_text(draw: ImageDraw.ImageDraw, text: str, corner: tuple[int, int], size: tuple[int, int]) -> None:
    """Write as much of a text as its place holds; what is left out is told by an ellipsis."""
    (x, y), (side, tall) = corner, size
    draw.rectangle((x, y, x + side - 1, y + tall - 1), CARD)
    for place, line in enumerate(_text_lines(text, side, (tall - 2 * TEXT_INSET) // TEXT_LINE)):
        draw.text((x + TEXT_INSET, y + TEXT_INSET + TEXT_LINE * place), line, INK, _font(12))


def _text_lines(text: str, side: int, most: int) -> list[str]:
    lines: list[str] = []
    for line in clean_lines(text[:LONGEST_DRAWN]):
        lines += _wrapped(line, _font(12), side - 2 * TEXT_INSET, most=most)
        if len(lines) > most:
            return [*lines[: most - 1], "..."]
    return lines


def _tallest_text(sheet: OutputSheet) -> int:
    """Return how tall a place must be for the longest text, up to a bound."""
    texts = [cell.text for row in sheet.rows for cell in row.cells if cell.text]
    most = max((len(_text_lines(text, TEXT_SIDE, MOST_TEXT_LINES)) for text in texts), default=1)
    return most * TEXT_LINE + 2 * TEXT_INSET


def _row_words(row: OutputRow, sheet: OutputSheet) -> list[str]:
    return [row.form] + (["reference"] if row.variant == sheet.reference else [])


def _mark(draw: ImageDraw.ImageDraw, x: int, y: int, form: str) -> None:
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


def _wrapped(text: str, font: Font, width: int, most: int) -> list[str]:
    """Break a text into lines of a width in pixels; what is left over is cut with an ellipsis."""
    lines, words = [""], text.split()
    for place, word in enumerate(words):
        longer = f"{lines[-1]} {word}".strip()
        if font.getlength(longer) <= width:
            lines[-1] = longer
        elif len(lines) == most:
            lines[-1] += "..."
            break
        else:
            lines.append(words[place])
    return lines


@cache
def _font(size: int) -> Font:
    return ImageFont.load_default(size)
