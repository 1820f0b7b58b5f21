"""Measures of texts: how alike two are, and whether one says what was wanted. Plain functions over strings."""

import json
import re
from collections.abc import Sequence

import numpy as np

LONGEST_COMPARED = 20_000  # characters; the work grows with the square
MOST_WORDS = 5_000
LONGEST_PERIOD, FEWEST_AGAIN = 200, 3  # words
WORD = re.compile(r"[^\W_]+")
NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d{1,3})?", re.ASCII)
FENCED = re.compile(r"```[a-z]*\s*(.*?)\s*```", re.DOTALL)


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


def rouge_l(a: str, b: str) -> float:
    """Return how much of two texts is a common subsequence of words: the F1 of its length over either's; 1 is the same.

    Lin (2004), "ROUGE: A Package for Automatic Evaluation of Summaries", equations 2 to 4 with beta = 1. Words are runs
    of letters and digits, in small letters. Of longer texts the first 5,000 words count. Two texts without a word are
    the same.
    """
    ours, theirs = (WORD.findall(text.casefold())[:MOST_WORDS] for text in (a, b))
    if not ours or not theirs:
        return float(ours == theirs)
    return 2 * _common(ours, theirs) / (len(ours) + len(theirs))


def _common(a: Sequence[str], b: Sequence[str]) -> int:
    """The length of the longest common subsequence, by rows.

    L[i, j] = L[i-1, j-1] + 1 where the words are the same, else max(L[i-1, j], L[i, j-1]): a maximum along the row.
    """
    codes = {word: code for code, word in enumerate(dict.fromkeys((*a, *b)))}
    across = np.array([codes[word] for word in b])
    row = np.zeros(len(b) + 1, np.int64)
    for word in a:
        row[1:] = np.maximum.accumulate(np.maximum(row[1:], row[:-1] + (across == codes[word])))
    return int(row[-1])


def loop(text: str) -> float:
    """Return the share of words that say again what stands right before them; 0 is a text that never does.

    A word counts where it is the same as the one a period before it, and so are at least as many words in a row as the
    period has, three at least; periods go up to 200 words.
    """
    words = text.split()[:LONGEST_COMPARED]
    codes = {word: code for code, word in enumerate(dict.fromkeys(words))}
    row = np.array([codes[word] for word in words], np.int64)
    again = np.zeros(len(row), bool)
    for period in range(1, min(LONGEST_PERIOD, len(row) // 2) + 1):
        same = np.concatenate(([False], row[period:] == row[:-period], [False])).astype(np.int8)
        edges = np.flatnonzero(np.diff(same))
        for start, end in zip(edges[::2], edges[1::2], strict=True):
            if end - start >= max(period, FEWEST_AGAIN):
                again[start + period : end + period] = True
    return float(again.mean()) if len(row) else 0.0


def parses(text: str, wanted: Sequence[str] = ()) -> float:
    """Return 1 where a text is JSON (RFC 8259), an object with all the keys that are wanted if there are any; else 0.

    What a model writes around it, a fence of three backquotes, is passed over.
    """
    fenced = FENCED.fullmatch(text.strip())
    try:
        found = json.loads(fenced.group(1) if fenced else text, parse_constant=_refuse)
    except (ValueError, RecursionError):
        return 0.0
    return float(not wanted or (isinstance(found, dict) and all(key in found for key in wanted)))


def _refuse(constant: str) -> None:
    raise ValueError(f"{constant} is no JSON")


def answer(text: str, wanted: Sequence[str], tolerance: str = "0") -> float:
    """Return 1 where the last number of a text is the number wanted, within a tolerance; else 0.

    ValueError where none, or no number, is wanted.
    """
    try:
        right, within = float(wanted[0]), float(tolerance)
    except (IndexError, ValueError) as error:
        raise ValueError("no number is wanted of this text, so it can't be said whether it is there") from error
    numbers = NUMBER.findall(text.replace(",", ""))
    return float(bool(numbers) and abs(float(numbers[-1]) - right) <= within)


def length(text: str) -> float:
    """Return how many words a text has: what white space divides."""
    return float(len(text.split()))
