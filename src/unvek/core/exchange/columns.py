"""The columns of an exchanged table, one run a row; cells.py has how each cell becomes a checked value.

Only `variant` and `time_s` are needed. A run's own columns are the fields of its row in a logbook; beside them stand
where it was made, and its measures, each with what it is and how it was come by.
"""

from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, fields
from functools import lru_cache
from typing import Any, get_type_hints

from unvek.core.exchange.cells import (
    LONGEST_TEXT,
    READ,
    CellError,
    Reader,
    amount,
    besides_in,
    definition_in,
    finite_number,
    one_of,
    refuse_halves,
    text_up_to,
)
from unvek.core.logbook.rows import KeptRun, behind_measures
from unvek.core.measures.catalogue import LOAD, MODEL_MEMORY, PEAK_MEMORY
from unvek.core.measures.definition import ORIGINS, Definition
from unvek.core.plan.reading.quoting import nearest_words
from unvek.core.run.events.record import FINISHED

NEEDED = ("variant", "time_s")
PASSED_OVER = ("run", "launch")  # numbers that mean something in the logbook only from which they came
# What a measure has beside its value: what it is, where it is from, the id of the run that it was held against, its
# values against others by their ids, and why there is none.
MEASURE, DEFINITION, ORIGIN, AGAINST, BESIDES, WHY = (
    "measure:", "definition:", "origin:", "against:", "besides:", "why:",
)  # fmt: skip
OF_MEASURES = (MEASURE, DEFINITION, ORIGIN, AGAINST, BESIDES, WHY)
DEFAULT_TASK, DEFAULT_SEED = "task", 0
LONGEST_MEASURE = 120
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
        return OWN, column, READ[OF_RUNS[column]]
    if column in BESIDE:
        return BESIDE_IT, column, READ[BESIDE[column]]
    named = _measure_named(column)
    return ("", column, READ["text"]) if named is None else (*named, READ_OF_MEASURE[named[0]])


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
        refuse_halves(column, value)
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
        load_s = READ["seconds"](MEASURE + LOAD, load_s)
    model_bytes = parts.pop(MODEL_MEMORY, {}).get(MEASURE)
    for name in [name for name in parts if name in _COLUMNS]:
        value, column = parts.pop(name).get(MEASURE), _COLUMNS[name]
        if value is not None:
            is_whole = _HINTS[column] in (int, int | None)
            own[column] = READ["whole"](MEASURE + name, round(value)) if is_whole else amount(MEASURE + name, value)
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


READ_OF_MEASURE: Mapping[str, Callable[[str, Any], Any]] = {
    MEASURE: finite_number,
    DEFINITION: definition_in,
    ORIGIN: one_of(ORIGINS),
    AGAINST: READ["id"],
    BESIDES: besides_in,
    WHY: text_up_to(LONGEST_TEXT),
}


def sort_of(column: str) -> type:
    """Return what sort of values a column has: int, float, bool, or str, which is JSON of what is neither."""
    if column in PASSED_OVER:
        return int
    if column.startswith(MEASURE):
        return float
    return SORTS_OF.get(OF_RUNS.get(column) or BESIDE.get(column, ""), str)
