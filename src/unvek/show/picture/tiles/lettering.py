"""Texts that are drawn: broken into lines of a width in pixels."""

from functools import cache

from PIL import ImageFont

from unvek.core.plain_text import clean_lines

LONGEST_DRAWN = 20_000  # characters looked at of one text

Font = ImageFont.ImageFont | ImageFont.FreeTypeFont


@cache
def font(size: int) -> Font:
    return ImageFont.load_default(size)


def wrapped(text: str, size: int, width: int, most: int) -> list[str]:
    """Break a text into lines of a width in pixels; what is left over is cut with an ellipsis."""
    lines = [""]
    for word in text.split():
        longer = f"{lines[-1]} {word}".strip()
        if font(size).getlength(longer) <= width:
            lines[-1] = longer
        elif len(lines) == most:
            lines[-1] += "..."
            break
        else:
            lines.append(word)
    return lines


def text_lines(text: str, size: int, width: int, most: int) -> list[str]:
    """Break a text that has lines of its own; what is left out is told by an ellipsis."""
    lines: list[str] = []
    for line in clean_lines(text[:LONGEST_DRAWN]):
        lines += wrapped(line, size, width, most)
        if len(lines) > most:
            return [*lines[: most - 1], "..."]
    return lines
