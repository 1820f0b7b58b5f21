"""The columns of an exchanged table, one run a row, and how each cell becomes a checked value.

Only `variant` and `time_s` are needed. What an export adds beside (where a run was made, when) is read past.
"""

import json
import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from unvek.core.plan.door import nearest_words
from unvek.core.plan.model import FORMS
from unvek.core.plan.names import NAME_WORDS, is_name
from unvek.core.run.record import BY_HAND, FINISHED, IMPORTED, MEASURED, SIMULATED, STATUSES

MEASURE = "measure:"
NEEDED = ("variant", "time_s")
KNOWN = (
    "variant", "form", "task", "seed", "round", "repeat", "warm_up", "status", "time_s", "steps", "varied", "source",
    "voided",
)  # fmt: skip
PASSED_OVER = ("run", "launch", "started")
DEFAULT_TASK = "task"
LONGEST_TEXT = 200
LARGEST_WHOLE = 2**32 - 1


class CellError(ValueError):
    """A cell that can't be used: its column, what was found there, what would be right."""

    def __init__(self, column: str, found: object, wanted: str):
        self.column, self.found, self.wanted = column, str(found)[:80], wanted
        super().__init__(f"column {column}: found {self.found!r}; wanted {wanted}")


@dataclass(frozen=True, slots=True, kw_only=True)
class Timing:
    """One run from elsewhere. round and repeat are None where the order is to say."""

    variant: str
    form: str = "full"
    task: str = DEFAULT_TASK
    seed: int = 0
    round: int | None = None
    repeat: int | None = None
    warm_up: bool = False
    status: str = FINISHED
    time_s: float | None
    steps: int = 0
    varied: Mapping[str, Any] = field(default_factory=dict)
    source: str = IMPORTED
    voided: str | None = None
    measures: Mapping[str, float] = field(default_factory=dict)


def check_columns(names: Iterable[str]) -> None:
    """Raise CellError for a column that is needed and not there, unknown, or there twice."""
    found = list(names)
    for name in NEEDED:
        if name not in found:
            raise CellError(name, "no such column", f"a header with {', '.join(NEEDED)} at least")
    for name in found:
        if found.count(name) > 1:
            raise CellError(name, "the column twice", "each column once")
        _check_column(name)


def _check_column(name: str) -> None:
    if name in KNOWN or name in PASSED_OVER or (name.startswith(MEASURE) and is_name(name.removeprefix(MEASURE))):
        return
    wanted = f"one of {', '.join(KNOWN)}, or measure:NAME"
    raise CellError(name or "(no name)", "an unknown column", wanted + nearest_words(name, KNOWN))


def timing_of(row: Mapping[str, Any]) -> Timing:
    """Return the run that a row tells of; CellError for the first cell that can't be used.

    Cells are texts, as in CSV, or values, as in JSON and Parquet; an empty text or None is a cell that is not given.
    """
    given = {name: value for name, value in row.items() if value is not None and value != ""}
    if "variant" not in given:
        raise CellError("variant", "nothing", "the variant's name")
    values: dict[str, Any] = {}
    measures = {}
    for name, value in given.items():
        if name.startswith(MEASURE):
            measures[name.removeprefix(MEASURE)] = _number(name, value)
        elif name not in PASSED_OVER:
            values[name] = _READ[name](name, value)
    if "time_s" not in values and values.get("status", FINISHED) == FINISHED:
        raise CellError("time_s", "nothing", "the run's seconds, or a status other than finished")
    return Timing(**{"time_s": None, **values}, measures=measures)


def _name(column: str, value: Any) -> str:
    text = value if isinstance(value, str) else ""
    if not is_name(text):
        raise CellError(column, value, NAME_WORDS)
    return text


def _text(column: str, value: Any) -> str:
    if not isinstance(value, str) or not value.strip() or len(value) > LONGEST_TEXT or "\0" in value:
        raise CellError(column, value, f"a text of up to {LONGEST_TEXT} characters")
    return value


def _one_of(words: Mapping[str, str], wanted: str) -> Callable[[str, Any], str]:
    def read(column: str, value: Any) -> str:
        if value not in words:
            raise CellError(column, value, f"one of {wanted}")
        return words[value]

    return read


def _whole_from(least: int) -> Callable[[str, Any], int]:
    def read(column: str, value: Any) -> int:
        number = _number(column, value)
        if number != int(number) or not least <= number <= LARGEST_WHOLE:
            raise CellError(column, value, f"a whole number from {least} on")
        return int(number)

    return read


def _number(column: str, value: Any) -> float:
    try:
        number = math.nan if isinstance(value, bool) else float(value)
    except (TypeError, ValueError, OverflowError):
        number = math.nan
    if not math.isfinite(number) or (isinstance(value, str) and not value.strip().isascii()):
        raise CellError(column, value, "a number")
    return number


def _seconds(column: str, value: Any) -> float:
    seconds = _number(column, value)
    if seconds < 0:
        raise CellError(column, value, "seconds, 0 or more")
    return seconds


def _true_or_false(column: str, value: Any) -> bool:
    known = {"true": True, "false": False, "1": True, "0": False, "yes": True, "no": False}
    found = known.get(str(value).strip().lower())
    if found is None:
        raise CellError(column, value, "true or false")
    return found


def _varied(column: str, value: Any) -> Mapping[str, Any]:
    try:
        found = json.loads(value) if isinstance(value, str) else value
    except (ValueError, RecursionError):
        found = None
    fits = isinstance(found, dict) and all(is_name(name) and _is_plain(entry) for name, entry in found.items())
    if not fits:
        raise CellError(column, value, 'an object of settings, such as {"steps": 8}')
    return dict(found)


def _is_plain(value: Any) -> bool:
    return isinstance(value, bool | str) or (isinstance(value, int | float) and math.isfinite(value))


_SOURCES = {MEASURED: IMPORTED, IMPORTED: IMPORTED, BY_HAND: BY_HAND, SIMULATED: SIMULATED}
_READ: Mapping[str, Callable[[str, Any], Any]] = {
    "variant": _name,
    "form": _one_of({form: form for form in FORMS}, ", ".join(FORMS)),
    "task": _text,
    "seed": _whole_from(0),
    "round": _whole_from(1),
    "repeat": _whole_from(1),
    "warm_up": _true_or_false,
    "status": _one_of({status: status for status in STATUSES}, ", ".join(STATUSES)),
    "time_s": _seconds,
    "steps": _whole_from(0),
    "varied": _varied,
    "source": _one_of(_SOURCES, ", ".join(_SOURCES)),
    "voided": _text,
}
