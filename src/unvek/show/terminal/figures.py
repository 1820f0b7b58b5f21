"""Figures, names and marks as a result shows them."""

from collections.abc import Iterable, Mapping

from rich.cells import cell_len
from rich.text import Text

from unvek.core.digits import Scale
from unvek.core.plain_text import clean
from unvek.show.palette import FORM_COLOURS, FORM_MARKS, WARNING

UNKNOWN = "–"


def figure(value: float | None, low: float | None, high: float | None, scale: Scale) -> str:
    """Word a value in the unit and the decimals of its column, or with the digits that its interval supports."""
    return UNKNOWN if value is None else scale.words(value, low, high)


def ratio_figures(ratio: float, low: float | None, high: float | None, decimals: int) -> tuple[str, str]:
    """Word a ratio to the reference, and its interval; of a time how many times as fast, if it is turned round."""
    ends = "" if low is None or high is None else f"{low:.{decimals}f} to {high:.{decimals}f}"
    return f"{ratio:.{decimals}f}x", ends


def variant_text(name: str, form: str) -> Text:
    """A variant's name behind its form's mark."""
    return Text.assemble((FORM_MARKS[form], FORM_COLOURS[form]), " ", clean(name))


def both_ends(left: Text, right: Text, width: int) -> Text:
    """Return a line with a text at each end; the left one is cut where it would meet the other."""
    room = width - cell_len(right.plain) - 2
    left.truncate(max(0, room), overflow="ellipsis")
    return Text.assemble(left, " " * (width - cell_len(left.plain) - cell_len(right.plain)), right)


def marks(numbers: Iterable[int]) -> Text:
    """The small raised numbers that point to the sentences under a table."""
    raised = " ".join(str(number) for number in numbers).translate(str.maketrans("0123456789", "⁰¹²³⁴⁵⁶⁷⁸⁹"))
    return Text(raised, style=f"bold {WARNING}")


def warning_text(text: str) -> Text:
    return Text(text, style=f"bold {WARNING}")


def settings_words(settings: Mapping[str, object]) -> str:
    return ", ".join(f"{clean(name)} {clean(value)}" for name, value in settings.items())


def item_words(task: str, seed: int, varied: Mapping[str, object]) -> str:
    """Word what a run is of, whatever the variant: "violet, seed 3, steps 8"."""
    return ", ".join(filter(None, (clean(task), f"seed {seed}", settings_words(varied))))


def unit_suffix(unit: str) -> str:
    """What a record's field name ends in to carry the unit."""
    return {"s": "_s", "B": "_bytes", "dB": "_db"}.get(unit, "")
