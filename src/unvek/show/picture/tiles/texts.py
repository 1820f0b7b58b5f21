"""Texts: as they are, or word by word against the reference's."""

from collections.abc import Iterator
from difflib import SequenceMatcher

from PIL import Image, ImageDraw

from unvek.core.plain_text import clean_lines
from unvek.show.palette import CLAY, INK
from unvek.show.picture.tiles.lettering import LONGEST_DRAWN, font, text_lines

SIDE, INSET, LINE, SIZE = 190, 8, 16, 12
MOST_LINES = 16
CARD = "#fffdf8"
GONE = "#9a948a"
MOST_WORDS = 2000  # of each, that are held against each other
LINE_END = "\n"
SAME, OURS, THEIRS = "same", "ours", "theirs"


def draw_text(text: str, theirs: str | None) -> Image.Image:
    """Return a text on a card. Against another: what that does not have is underlined, what that has beside struck."""
    if theirs is None or theirs == text:
        lines = [[(SAME, line)] for line in text_lines(text, SIZE, SIDE - 2 * INSET, MOST_LINES)]
    else:
        lines = list(_laid_out(words_against(text, theirs)))
    tile = Image.new("RGB", (SIDE, max(1, len(lines)) * LINE + 2 * INSET), CARD)
    draw = ImageDraw.Draw(tile)
    for place, line in enumerate(lines):
        x, y = float(INSET), INSET + LINE * place
        for whose, word in line:
            draw.text((x, y), word, {SAME: INK, OURS: CLAY, THEIRS: GONE}[whose], font(SIZE))
            end = x + font(SIZE).getlength(word)
            if whose == OURS:
                draw.line((x, y + SIZE + 2, end, y + SIZE + 2), fill=CLAY)
            elif whose == THEIRS:
                draw.line((x, y + SIZE // 2 + 2, end, y + SIZE // 2 + 2), fill=GONE)
            x = end + font(SIZE).getlength(" ")
    return tile


def words_against(ours: str, theirs: str) -> list[tuple[str, str]]:
    """Return the words of ours with those that only theirs has at their places, and whose each is."""
    mine, other = _words(ours), _words(theirs)
    found: list[tuple[str, str]] = []
    for tag, start, end, their_start, their_end in SequenceMatcher(None, mine, other, autojunk=False).get_opcodes():
        if tag == "equal":
            found += [(SAME, word) for word in mine[start:end]]
        else:
            found += [(THEIRS, word) for word in other[their_start:their_end]]
            found += [(OURS, word) for word in mine[start:end]]
    return found


def _words(text: str) -> list[str]:
    """Return the words of a text, and a line's end where one is."""
    lines = [line.split() for line in clean_lines(text[:LONGEST_DRAWN])]
    words = [word for line in lines for word in (*line, LINE_END)]
    return words[: min(MOST_WORDS, len(words) - 1)]


def _laid_out(words: list[tuple[str, str]]) -> Iterator[list[tuple[str, str]]]:
    """Yield lines of words that fit the card, and an ellipsis where there is no more room."""
    lines: list[list[tuple[str, str]]] = [[]]
    used, space = 0.0, font(SIZE).getlength(" ")
    for whose, word in words:
        if word == LINE_END and whose == THEIRS:
            continue
        width = SIDE if word == LINE_END else font(SIZE).getlength(word)
        if lines[-1] and used + width > SIDE - 2 * INSET:
            if len(lines) == MOST_LINES:
                lines[-1].append((SAME, "..."))
                break
            lines.append([])
            used = 0.0
        if word == LINE_END:
            continue
        lines[-1].append((whose, _cut(word)))
        used += width + space
    yield from lines


def _cut(word: str) -> str:
    """Return as much of a word as has room in a line."""
    while word and font(SIZE).getlength(word) > SIDE - 2 * INSET:
        word = word[: max(1, len(word) * 3 // 4)]
        if len(word) == 1:
            break
    return word
