"""A small picture in half-blocks: two pixels a character, one above the other."""

from functools import lru_cache

from PIL import Image
from rich.color import Color
from rich.style import Style
from rich.text import Text

UPPER_HALF = "▀"


def half_blocks(width: int, height: int, rgb: bytes, columns: int, rows: int) -> list[Text]:
    """Return the picture as lines of at most so many columns and rows, its proportions kept."""
    scale = min(columns / width, 2 * rows / height, 1.0)
    shown_width, shown_height = max(1, int(width * scale)), max(2, int(height * scale) // 2 * 2)
    picture = Image.frombytes("RGB", (width, height), rgb)
    pixels = picture.resize((shown_width, shown_height), Image.Resampling.BOX).tobytes()
    row_bytes = 3 * shown_width
    lines = []
    for top in range(0, shown_height, 2):
        line = Text(no_wrap=True)
        for x in range(shown_width):
            upper, lower = top * row_bytes + 3 * x, (top + 1) * row_bytes + 3 * x
            line.append(UPPER_HALF, _style(pixels[upper : upper + 3], pixels[lower : lower + 3]))
        lines.append(line)
    return lines


@lru_cache(maxsize=20_000)
def _style(upper: bytes, lower: bytes) -> Style:
    return Style(color=Color.from_rgb(*upper), bgcolor=Color.from_rgb(*lower))
