"""The columns of an exchanged table, one run a row, and how each cell becomes a checked value.

Only `variant` and `time_s` are needed. A run's own columns are the fields of its row in a logbook; beside them stand
where it was made, and its measures, each with what it is and how it was come by.
"""

import json
import math
from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, fields
from datetime import UTC, datetime
from functools import lru_cache
from typing import Any, get_type_hints

from unvek.core.ids import is_id
from unvek.core.logbook.plan_record import typed
from unvek.core.logbook.rows import KeptRun, behind_measures
from unvek.core.measures.catalogue import LOAD, MODEL_MEMORY, PEAK_MEMORY
from unvek.core.measures.definition import LESS, MORE, ORIGINS, SUMMED_UP, Definition
from unvek.core.plan.model import FORMS
from unvek.core.plan.names import LARGEST_SEED, NAME_WORDS, is_name
from unvek.core.plan.reading.quoting import nearest_words
from unvek.core.run.events.record import FINISHED, IMPORTED, MEASURED, SOURCES, STATUSES
from unvek.core.units import LARGEST_NUMBER, LONGEST_S, SHORTEST_S, SMALLEST_NUMBER, is_0_or_within, parse_written_time

NEEDED = ("variant", "time_s")
PASSED_OVER = ("run", "launch")  # numbers that mean something in the logbook only from which they came
# What a measure has beside its value: what it is, where it is from, the id of the run that it was held against, its
# values against others by their ids, and why there is none.
MEASURE, DEFINITION, ORIGIN, AGAINST, BESIDES, WHY = (
    "measure:", "definition:", "origin:", "against:", "besides:", "why:",
)  # fmt: skip
OF_MEASURES = (MEASURE, DEFINITION, ORIGIN, AGAINST, BESIDES, WHY)
DEFAULT_TASK, DEFAULT_SEED = "task", 0
LONGEST_TEXT, LONGEST_ERROR, LONGEST_MEASURE = 200, 10_000, 120
LARGEST_WHOLE, LARGEST_SHARE = 2**53, 1e6
MOST_MEASURES = 1000  # in a file

# By column how it is read: a run's own, and what stands beside them.
OF_RUNS: Mapping[str, str] = {
    one.name: how for one in fields(KeptRun) if (how := one.metadata.get("exchanged")) is not None
}
BESIDE: Mapping[str, str] = {
    "cell": "text", "of_plan": "truth", "launch_id": "id", "session": "name", "session_id": "id", "machine": "text",
    "machine_facts": "facts", "started": "moment",
}  # fmt: skip
KNOWN = (*OF_RUNS, *BESIDE)
OWN, BESIDE_IT = "own", "beside"
Reader = Callable[[str, Any], Any]
# What sort of values each column has, as a file that knows sorts is told.
SORTS_OF: Mapping[str, type] = {
    "seed": int,
    "count": int,
    "whole": int,
    "seconds": float,
    "share": float,
    "truth": bool,
}
_COLUMNS, _HINTS = behind_measures(), get_type_hints(KeptRun)


class CellError(ValueError):
    """A cell that can't be used: its column, what was found there, what would be right."""

    def __init__(self, column: str, found: object, wanted: str):
        self.column, self.found, self.wanted = column, str(found)[:80], wanted
        super().__init__(f"column {column}: found {self.found!r}; wanted {wanted}")


@dataclass(frozen=True, slots=True, kw_only=True)
class BroughtMeasure:
    """A measure as a row tells it; None is not told. against is the id of the run that it was held against."""

    value: float | None = None
    definition: Definition | None = None
    origin: str | None = None
    against: str | None = None
    besides: Mapping[str, float] = field(default_factory=dict)
    why: str | None = None

    def is_told_by(self, other: "BroughtMeasure") -> bool:
        told = (self.value, self.definition, self.origin, self.against, self.besides or None, self.why)
        theirs = (other.value, other.definition, other.origin, other.against, other.besides, other.why)
        return all(ours is None or ours == their for ours, their in zip(told, theirs, strict=True))


@dataclass(frozen=True, slots=True, kw_only=True)
class BroughtRun:
    """A run as a row tells it: the values of the columns that are given, by their names.

    own are fields of the run's row in a logbook, the built-in measures that stand behind some of them among these.
    before_bytes is what its process held before the model was loaded, as the model's memory and the peak tell.
    """

    own: Mapping[str, Any]
    beside: Mapping[str, Any]
    measures: Mapping[str, BroughtMeasure]
    load_s: float | None
    before_bytes: int | None = None

    def is_told_by(self, other: "BroughtRun") -> bool:
        """Whether everything that this one says is said by another, but for what people did with the run."""
        return (
            all(other.own.get(name) == value for name, value in self.own.items() if name != "voided")
            and all(
                name in other.measures and measure.is_told_by(other.measures[name])
                for name, measure in self.measures.items()
            )
            and self.load_s in (None, other.load_s)
        )


def check_columns(names: Iterable[str]) -> None:
    """Raise CellError for a column that is needed and not there, unknown, or there twice."""
    found = Counter(names)
    for name in NEEDED:
        if name not in found:
            raise CellError(name, "no such column", f"a header with {', '.join(NEEDED)} at least")
    for name, count in found.items():
        if count > 1:
            raise CellError(name, "the column twice", "each column once")
        _check_column(name)


def measures_in(names: Iterable[str]) -> set[str]:
    """Return the measures that columns tell of."""
    return {named[1] for name in names if (named := _measure_named(name)) is not None}


def _check_column(name: str) -> None:
    if name in KNOWN or name in PASSED_OVER or _measure_named(name) is not None:
        return
    wanted = f"one of {', '.join(KNOWN)}, or measure:NAME"
    raise CellError(name or "(no name)", "an unknown column", wanted + nearest_words(name, KNOWN))


def _measure_named(column: str) -> tuple[str, str] | None:
    """Return (which of OF_MEASURES, the measure's name) of a column that tells of one."""
    for part in OF_MEASURES:
        name = column.removeprefix(part)
        if column.startswith(part) and 0 < len(name) <= LONGEST_MEASURE and name.isprintable():
            return part, name
    return None


@lru_cache(maxsize=4 * MOST_MEASURES)
def _reader_of(column: str) -> tuple[str, str, Reader]:
    """Return where a column's values go (OWN, BESIDE_IT, which of OF_MEASURES, or nowhere), of what, and its reader."""
    if column in OF_RUNS:
        return OWN, column, _READ[OF_RUNS[column]]
    if column in BESIDE:
        return BESIDE_IT, column, _READ[BESIDE[column]]
    named = _measure_named(column)
    return ("", column, _READ["text"]) if named is None else (*named, _READ_OF_MEASURE[named[0]])


def brought_run(row: Mapping[str, Any]) -> BroughtRun:
    """Return the run that a row tells of; CellError for the first cell that can't be used.

    Cells are texts, as in CSV, or values, as in JSON and Parquet; an empty text or None is a cell that is not given.
    """
    if row.get("variant") in (None, ""):
        raise CellError("variant", "nothing", "the variant's name")
    own: dict[str, Any] = {}
    beside: dict[str, Any] = {}
    parts: dict[str, dict[str, Any]] = {}
    for column, value in row.items():
        if value is None or value == "":
            continue
        _refuse_halves(column, value)
        where, name, read = _reader_of(column)
        if where == OWN:
            own[column] = read(column, value)
        elif where == BESIDE_IT:
            beside[column] = read(column, value)
        elif where:
            parts.setdefault(name, {})[where] = read(column, value)
    if "time_s" not in own and own.get("status", FINISHED) == FINISHED:
        raise CellError("time_s", "nothing", "the run's seconds, or a status other than finished")
    load_s = parts.pop(LOAD, {}).get(MEASURE)
    if load_s is not None:
        load_s = _seconds(MEASURE + LOAD, load_s)
    model_bytes = parts.pop(MODEL_MEMORY, {}).get(MEASURE)
    for name in [name for name in parts if name in _COLUMNS]:
        value, column = parts.pop(name).get(MEASURE), _COLUMNS[name]
        if value is not None:
            is_whole = _HINTS[column] in (int, int | None)
            own[column] = _whole(MEASURE + name, round(value)) if is_whole else _amount(MEASURE + name, value)
    peak = own.get(_COLUMNS[PEAK_MEMORY])
    return BroughtRun(
        own=own, beside=beside, measures={name: _measure(of) for name, of in parts.items()}, load_s=load_s,
        before_bytes=max(0, int(peak - model_bytes)) if peak is not None and model_bytes is not None else None,
    )  # fmt: skip


def _measure(parts: Mapping[str, Any]) -> BroughtMeasure:
    return BroughtMeasure(
        value=parts.get(MEASURE), definition=parts.get(DEFINITION), origin=parts.get(ORIGIN),
        against=parts.get(AGAINST), besides=parts.get(BESIDES, {}), why=parts.get(WHY),
    )  # fmt: skip


# ---- one reader a sort of cell ----


def _name(column: str, value: Any) -> str:
    text = value if isinstance(value, str) else ""
    if not is_name(text):
        raise CellError(column, value, NAME_WORDS)
    return text


def _text_up_to(longest: int) -> Callable[[str, Any], str]:
    def read(column: str, value: Any) -> str:
        if not isinstance(value, str) or not value.strip() or len(value) > longest or "\0" in value:
            raise CellError(column, value, f"a text of up to {longest} characters")
        return value

    return read


def _one_of(words: Iterable[str]) -> Callable[[str, Any], str]:
    known = tuple(words)

    def read(column: str, value: Any) -> str:
        if value not in known:
            raise CellError(column, value, f"one of {', '.join(known)}")
        return str(value)

    return read


def _whole_from(least: int, most: int = LARGEST_WHOLE) -> Callable[[str, Any], int]:
    def read(column: str, value: Any) -> int:
        number = _number(column, value)
        if number != int(number) or not least <= number <= most:
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
    if not is_0_or_within(number, SMALLEST_NUMBER, LARGEST_NUMBER):
        raise CellError(column, value, f"a number between {SMALLEST_NUMBER:g} and {LARGEST_NUMBER:g}, or 0")
    return number


def _from_0(what: str, least: float, most: float) -> Callable[[str, Any], float]:
    def read(column: str, value: Any) -> float:
        number = _number(column, value)
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


_amount = _from_0("an amount", SMALLEST_NUMBER, LARGEST_NUMBER)
_whole = _whole_from(0)


def _true_or_false(column: str, value: Any) -> bool:
    known = {"true": True, "false": False, "1": True, "0": False, "yes": True, "no": False}
    found = known.get(str(value).strip().lower())
    if found is None:
        raise CellError(column, value, "true or false")
    return found


def _source(column: str, value: Any) -> str:
    """Where figures are from: what was measured elsewhere is imported here."""
    found = _one_of(SOURCES)(column, value)
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
    _refuse_halves(column, found)
    return found


def _refuse_halves(column: str, value: Any) -> None:
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
    return found


def _is_plain(value: Any) -> bool:
    return isinstance(value, bool | str) or (isinstance(value, int | float) and math.isfinite(value))


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


def _definition(column: str, value: Any) -> Definition:
    wanted = "what a measure is as an export has it"
    try:
        found: Definition = typed(_object(column, value, wanted), Definition)
    except ValueError as error:
        raise CellError(column, value, wanted) from error
    fits = found.better in (None, LESS, MORE) and found.summed_up in SUMMED_UP and found.kind and len(found.unit) <= 20
    if not fits:
        raise CellError(column, value, wanted)
    return found


def _besides(column: str, value: Any) -> Mapping[str, float]:
    wanted = "an object of values by the ids of runs"
    found = _object(column, value, wanted)
    return {_id(column, run): _number(column, number) for run, number in found.items()}


_READ: Mapping[str, Callable[[str, Any], Any]] = {
    "name": _name,
    "form": _one_of(FORMS),
    "text": _text_up_to(LONGEST_TEXT),
    "error": _text_up_to(LONGEST_ERROR),
    "seed": _whole_from(0, LARGEST_SEED),
    "count": _whole_from(1),
    "whole": _whole,
    "truth": _true_or_false,
    "status": _one_of(STATUSES),
    "seconds": _seconds,
    "share": _from_0("a share", SMALLEST_NUMBER, LARGEST_SHARE),
    "varied": _varied,
    "source": _source,
    "id": _id,
    "moment": _moment,
    "facts": machine_facts,
}
_READ_OF_MEASURE: Mapping[str, Callable[[str, Any], Any]] = {
    MEASURE: _number,
    DEFINITION: _definition,
    ORIGIN: _one_of(ORIGINS),
    AGAINST: _id,
    BESIDES: _besides,
    WHY: _text_up_to(LONGEST_TEXT),
}


def sort_of(column: str) -> type:
    """Return what sort of values a column has: int, float, bool, or str, which is JSON of what is neither."""
    if column in PASSED_OVER:
        return int
    if column.startswith(MEASURE):
        return float
    return SORTS_OF.get(OF_RUNS.get(column) or BESIDE.get(column, ""), str)
