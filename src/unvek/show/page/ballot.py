"""A ballot as a page: what a colleague opens from a mail, answers by keys or presses, and sends back."""

from collections.abc import Mapping
from pathlib import Path

from unvek.core.errors import InputError
from unvek.core.judging.of_ballot import Ballot
from unvek.core.logbook.verdict_rows import (
    EVEN,
    LEFT,
    MARKS,
    MISSING,
    NEITHER,
    PAIRS,
    PARTLY,
    POINTS,
    RIGHT,
    THERE,
    UNSURE,
)
from unvek.show.page.standalone import page

# What the page says in words and takes by a key, by what is said of an output.
PAIR_KEYS = ((LEFT, "left", "1"), (RIGHT, "right", "2"), (EVEN, "as good", "3"), (NEITHER, "neither", "0"))
POINT_KEYS = ((THERE, "there", "1"), (PARTLY, "partly", "2"), (MISSING, "missing", "3"), (UNSURE, "can't tell", "0"))
ASKS: Mapping[str, str] = {
    PAIRS: "Which one is better?",
    POINTS: "What of this is there?",
    MARKS: "How good is it?",
}
SIDES = (LEFT, RIGHT)


def ballot_page(ballot: Ballot) -> str:
    """Return the page, as one HTML file."""
    return page(
        "ballot",
        {
            "ballot": ballot,
            "asked": ASKS[ballot.asks],
            "keys": {PAIRS: PAIR_KEYS, POINTS: POINT_KEYS, MARKS: ()}[ballot.asks],
            "sides": SIDES,
            "counted": "pairs" if ballot.asks == PAIRS else "questions",
        },
    )


def write_ballot(ballot: Ballot, path: Path) -> int:
    """Write the page, and return the bytes that it has; InputError where it can't be written."""
    content = ballot_page(ballot).encode()
    try:
        path.write_bytes(content)
    except OSError as error:
        raise InputError(f"{path} can't be written: {error.strerror}") from error
    return len(content)
