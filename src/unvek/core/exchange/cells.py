"""Cells of an exchanged table: one reader for each sort, which gives a checked value or says what is wrong.

Cells are texts, as in CSV, or values, as in JSON and Parquet.
"""

import json
import math
from collections.abc import Callable, Iterable, Mapping
from datetime import UTC, datetime
from typing import Any

from unvek.core.ids import is_id
from unvek.core.logbook.plan_record import typed
from unvek.core.measures.definition import LESS, MORE, SUMMED_UP, Definition
from unvek.core.plan.model import FORMS, WORDING, wording_of
from unvek.core.plan.names import LARGEST_SEED, NAME_WORDS, is_name
from unvek.core.run.events.record import IMPORTED, MEASURED, SOURCES, STATUSES
from unvek.core.units import LARGEST_NUMBER, LONGEST_S, SHORTEST_S, SMALLEST_NUMBER, is_0_or_within, parse_written_time

LONGEST_TEXT, LONGEST_ERROR = 200, 10_000
LARGEST_WHOLE, LARGEST_SHARE = 2**53, 1e6
Reader = Callable[[str, Any], Any]


class CellError(ValueError):
    """A cell that can't be used: its column, what was found there, what would be right."""

    def __init__(self, column: str, found: object, wanted: str):
        self.column, self.found, self.wanted = column, str(found)[:80], wanted
        super().__init__(f"column {column}: found {self.found!r}; wanted {wanted}")


def _name(column: str, value: Any) -> str:
    text = value if isinstance(value, str) else ""
    if not is_name(text):
        raise CellError(column, value, NAME_WORDS)
    return text


def text_up_to(longest: int) -> Callable[[str, Any], str]:
    def read(column: str, value: Any) -> str:
        if not isinstance(value, str) or not value.strip() or len(value) > longest or "\0" in value:
            raise CellError(column, value, f"a text of up to {longest} characters")
        return value

    return read


def one_of(words: Iterable[str]) -> Callable[[str, Any], str]:
    known = tuple(words)

    def read(column: str, value: Any) -> str:
        if value not in known:
            raise CellError(column, value, f"one of {', '.join(known)}")
        return str(value)

    return read


def _whole_from(least: int, most: int = LARGEST_WHOLE) -> Callable[[str, Any], int]:
    def read(column: str, value: Any) -> int:
        number = finite_number(column, value)
        if number != int(number) or not least <= number <= most:
            raise CellError(column, value, f"a whole number from {least} on")
        return int(number)

    return read


def finite_number(column: str, value: Any) -> float:
    try:
        number = math.nan if isinstance(value, bool) else float(value)
    except (TypeError, ValueError, OverflowError):
        number = math.nan
    if not math.isfinite(number) or (isinstance(value, str) and not value.strip().isascii()):
        raise CellError(column, value, "a number")
    if not is_0_or_within(number, SMALLEST_NUMBER, LARGEST_NUMBER):
        raise CellError(column, value, f"a number between {SMALLEST_NUMBER:g} and {LARGEST_NUMBER:g}, or 0")
    return number


def _from_0(what: str, least: float, most: float) -> Callable[[str, Any], float]:
    def read(column: str, value: Any) -> float:
        number = finite_number(column, value)
        if number < 0 or not is_0_or_within(number, least, most):
            raise CellError(column, value, f"{what}, 0 or more" if number < 0 else f"{what} from {least:g} to {most:g}")
        return number

    return read


_plain_seconds = _from_0("seconds", SHORTEST_S, LONGEST_S)


def _seconds(column: str, value: Any) -> float:
    """Seconds, as a number or as people write them: 31, 0:31, 1:02:03, 31 s, 1 min 2 s."""
    try:
        written = parse_written_time(value) if isinstance(value, str) else None
    except ValueError as error:
        raise CellError(column, value, str(error)) from error
    return _plain_seconds(column, value if written is None else written)


amount = _from_0("an amount", SMALLEST_NUMBER, LARGEST_NUMBER)
_whole = _whole_from(0)


def _true_or_false(column: str, value: Any) -> bool:
    known = {"true": True, "false": False, "1": True, "0": False, "yes": True, "no": False}
    found = known.get(str(value).strip().lower())
    if found is None:
        raise CellError(column, value, "true or false")
    return found


def _source(column: str, value: Any) -> str:
    """Where figures are from: what was measured elsewhere is imported here."""
    found = one_of(SOURCES)(column, value)
    return IMPORTED if found == MEASURED else found


def _id(column: str, value: Any) -> str:
    if not isinstance(value, str) or not is_id(value):
        raise CellError(column, value, "a UUID as an export has it, such as 01a214b9-7f9c-7657-a853-cf034c4f45e1")
    return value


def _moment(column: str, value: Any) -> str:
    """A moment as runs have it: in UTC, with milliseconds."""
    try:
        moment = datetime.fromisoformat(value if isinstance(value, str) else "")
        moment = moment if moment.tzinfo is not None else moment.replace(tzinfo=UTC)
        return moment.astimezone(UTC).isoformat(timespec="milliseconds")
    except (ValueError, OverflowError) as error:
        raise CellError(column, value, "a moment such as 2026-11-23T14:30:00+00:00") from error


def _object(column: str, value: Any, wanted: str) -> dict[str, Any]:
    try:
        found = json.loads(value) if isinstance(value, str) else value
    except (ValueError, RecursionError):
        found = None
    if not isinstance(found, dict):
        raise CellError(column, value, wanted)
    refuse_halves(column, found)
    return found


def refuse_halves(column: str, value: Any) -> None:
    """Refuse a text with half a character in it, which JSON allows and no file or terminal takes."""
    if isinstance(value, int | float) or (isinstance(value, str) and value.isascii()):
        return
    try:
        (value if isinstance(value, str) else json.dumps(value, ensure_ascii=False, default=str)).encode()
    except (UnicodeEncodeError, RecursionError, ValueError) as error:
        raise CellError(column, ascii(value)[:80], "a text of whole characters") from error


def _varied(column: str, value: Any) -> Mapping[str, Any]:
    wanted = 'an object of settings, such as {"steps": 8}'
    found = _object(column, value, wanted)
    if not all(is_name(name) and _is_plain(entry) for name, entry in found.items()):
        raise CellError(column, value, wanted)
    if WORDING in found and not wording_of(found):
        raise CellError(column, value, f"the number of a prompt's wording, from 1, or another name than {WORDING}")
    return found


def _is_plain(value: Any) -> bool:
    if isinstance(value, int):
        return abs(value) <= LARGEST_WHOLE
    return isinstance(value, str) or (isinstance(value, float) and math.isfinite(value))


def machine_facts(column: str, value: Any) -> Mapping[str, Any]:
    """A machine's facts: those that are known of every machine, in the form that they are kept in."""
    wanted = "a machine's facts as an export has them"
    found = _object(column, value, wanted)
    try:
        return {
            "processor": typed(found.get("processor"), str | None),
            "cores": typed(found.get("cores"), int | None),
            "memory_bytes": typed(found.get("memory_bytes"), int | None),
            "system": typed(found.get("system", ""), str),
            "kernel": typed(found.get("kernel", ""), str),
            **({"accelerators": _accelerators(found["accelerators"])} if "accelerators" in found else {}),
        }
    except ValueError as error:
        raise CellError(column, value, wanted) from error


def _accelerators(value: Any) -> list[Mapping[str, Any]]:
    return [
        {"name": typed(one.get("name"), str), "memory_bytes": typed(one.get("memory_bytes"), int | None),
         "driver": typed(one.get("driver"), str | None), "simulated": typed(one.get("simulated", False), bool)}
        for one in typed(value, list[dict[str, Any]])
    ]  # fmt: skip


def definition_in(column: str, value: Any) -> Definition:
    wanted = "what a measure is as an export has it"
    try:
        found: Definition = typed(_object(column, value, wanted), Definition)
    except ValueError as error:
        raise CellError(column, value, wanted) from error
    fits = found.better in (None, LESS, MORE) and found.summed_up in SUMMED_UP and found.kind and len(found.unit) <= 20
    if not fits:
        raise CellError(column, value, wanted)
    return found


def besides_in(column: str, value: Any) -> Mapping[str, float]:
    wanted = "an object of values by the ids of runs"
    found = _object(column, value, wanted)
    return {_id(column, run): finite_number(column, number) for run, number in found.items()}


READ: Mapping[str, Callable[[str, Any], Any]] = {
    "name": _name,
    "form": one_of(FORMS),
    "text": text_up_to(LONGEST_TEXT),
    "error": text_up_to(LONGEST_ERROR),
    "seed": _whole_from(0, LARGEST_SEED),
    "count": _whole_from(1),
    "whole": _whole,
    "truth": _true_or_false,
    "status": one_of(STATUSES),
    "seconds": _seconds,
    "share": _from_0("a share", SMALLEST_NUMBER, LARGEST_SHARE),
    "varied": _varied,
    "source": _source,
    "id": _id,
    "moment": _moment,
    "facts": machine_facts,
}
