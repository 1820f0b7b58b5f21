"""Text from outside, made plain: it can't move a cursor, colour anything, or hide what it says.

Names, prompts, errors, files and whatever models, servers and other users say come from outside. What is shown of them
passes here, whatever shows it.
"""

import unicodedata
from collections.abc import Callable, Mapping
from functools import cache
from typing import Any

LONGEST = 10_000  # characters on one line
MARK = "�"  # stands for what was taken out


def clean(text: object, longest: int = LONGEST) -> str:
    """Return a text on one line, in which control codes and what turns the direction of writing are visible marks."""
    shown = str(text)[:longest]
    return shown if shown.isascii() and shown.isprintable() else "".join(map(_shown, shown))


def clean_lines(text: str) -> list[str]:
    """Return the lines of a text, each clean."""
    return [clean(line.expandtabs(4)) for line in text.splitlines()]


def clean_text(text: str) -> str:
    """Return a text whose lines stay as they are, each of them clean and whole."""
    if text.isascii() and text.isprintable():
        return text
    return "\n".join(clean(line, len(line)) for line in text.split("\n"))


def each_text(value: Any, change: Callable[[str], str]) -> Any:
    """Return a value of JSON in which every text, names of fields too, is changed so."""
    if isinstance(value, str):
        return change(value)
    if value is None or isinstance(value, int | float):  # before what takes longer to find out: most are numbers
        return value
    if isinstance(value, Mapping):
        return {change(str(name)): each_text(part, change) for name, part in value.items()}
    return [each_text(part, change) for part in value] if isinstance(value, list | tuple) else value


@cache
def _shown(character: str) -> str:
    if character in "\n\t\r":
        return " "
    return MARK if unicodedata.category(character) in ("Cc", "Cf", "Cs", "Co", "Zl", "Zp") else character
