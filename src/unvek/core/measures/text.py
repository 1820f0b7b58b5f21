"""Measures of texts: how alike two are, and whether one says what was wanted. Plain functions over strings."""

from collections.abc import Sequence

import numpy as np

LONGEST_COMPARED = 20_000  # characters; the work grows with the square


def edit(a: str, b: str) -> float:
    """Return how alike two texts are: 1 less the edits that turn one into the other, over the longer one's length.

    An edit takes out, puts in or replaces a character (Levenshtein 1966, "Binary codes capable of correcting
    deletions, insertions, and reversals"). 1 is the same text; two empty ones are the same. Of longer texts the first
    20,000 characters are compared, and what lies beyond counts as edits as far as the lengths differ.
    """
    longer = max(len(a), len(b))
    if a == b:
        return 1.0
    beyond = abs(max(0, len(a) - LONGEST_COMPARED) - max(0, len(b) - LONGEST_COMPARED))
    return 1.0 - (_distance(a[:LONGEST_COMPARED], b[:LONGEST_COMPARED]) + beyond) / longer


def _distance(a: str, b: str) -> int:
    """The distance by rows (Wagner and Fischer 1974).

    D[i, j] = min(D[i-1, j] + 1, D[i, j-1] + 1, D[i-1, j-1] + differ). The middle term runs along the row: D[i, j] - j
    is a running minimum, so that a row is a few array operations.
    """
    codes = np.frombuffer(b.encode("utf-32-le"), np.uint32)
    along = np.arange(len(codes) + 1)
    row = along.copy()
    for i, code in enumerate(np.frombuffer(a.encode("utf-32-le"), np.uint32), start=1):
        above = row + 1
        above[1:] = np.minimum(above[1:], row[:-1] + (codes != code))
        above[0] = i
        row = np.minimum.accumulate(above - along) + along
    return int(row[-1])


def exact(a: str, b: str) -> float:
    """Return 1 where two texts are the same but for the white space around them, else 0."""
    return float(a.strip() == b.strip())


def holds(text: str, wanted: Sequence[str]) -> float:
    """Return the share of the wanted texts that stand in a text, in small or capital letters alike.

    Raises ValueError where nothing is wanted.
    """
    if not wanted:
        raise ValueError("nothing is wanted of this text, so it can't be said how much of it is there")
    folded = text.casefold()
    return sum(part.casefold() in folded for part in wanted) / len(wanted)
