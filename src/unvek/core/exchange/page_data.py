"""What a report page carries: its runs, their measurements, the verdicts and the plan, and how they are found in it.

Columns are packed so that what comes again and again stands there once. The digest beside the data shows accidents:
that it was cut off, or changed by a program that meant well. It shows no intent: who changes the data can work it out.
"""

import hashlib
import json
import re
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import msgspec

from unvek.core.errors import InputError
from unvek.core.exchange.brought_plan import check_plan
from unvek.core.exchange.columns import DEFINITION, WHY
from unvek.core.exchange.exporting import export_runs
from unvek.core.exchange.files import Row
from unvek.core.exchange.verdict_files import rows_of_verdicts
from unvek.core.logbook.plan_record import PlanOnRecord, plan_as_json, plan_from_json
from unvek.core.logbook.store import Logbook
from unvek.core.logbook.verdict_rows import PERSON
from unvek.core.plan.model import Plan, Task, Variant

FORMAT, KIND = 1, "report-data"
OPENS = '<script type="application/json" id="data" data-digest="'
CLOSES = "</script>"
LARGEST_PAGE = 512 * 2**20
LARGEST_DATA_RUNS = 5_000_000
MANY = 50_000  # different values
PAGE = ".html"
_PLAN_NUMBER = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Kept:
    """What of the runs is kept in the page: variants, tasks, varied values, machines; and whether tasks keep names."""

    variants: Callable[[str], bool] = lambda name: True
    tasks: Callable[[str], bool] = lambda name: True
    varied: Mapping[str, Any] = field(default_factory=dict)
    rigs: Collection[str] | None = None  # fingerprints; None: all
    with_texts: bool = True
    anonymous: bool = False

    def has(self, row: Mapping[str, Any]) -> bool:
        """Whether a run is kept: of warm-ups, of which no figure is but that of first runs, those of any value."""
        varied = row.get("varied") or {}
        is_of_these = all(varied.get(name) == value for name, value in self.varied.items())
        is_of_these = (is_of_these or bool(row.get("warm_up"))) and (self.rigs is None or row["machine"] in self.rigs)
        return is_of_these and self.variants(row["variant"]) and self.tasks(row["task"])


@dataclass(frozen=True, slots=True)
class Names:
    """What tasks and people are called in the page."""

    tasks: Mapping[str, str]
    people: Mapping[str, str] = field(default_factory=dict)

    def task(self, name: str) -> str:
        return self.tasks.get(name, name)

    def person(self, name: str) -> str:
        return self.people.get(name, name)


def names_for(logbook: Logbook, kept: Kept) -> Names:
    """Return the names in the page: those of the logbook, or numbers instead."""
    if not kept.anonymous:
        return Names({})
    record = logbook.newest_plan()
    planned = [task.name for task in record.plan.tasks] if record is not None else []
    tasks = dict.fromkeys((*planned, *logbook.names_in("task")))
    people = (
        [judge.name for judge in logbook.judges().values() if judge.sort == PERSON] if logbook.has_verdicts() else []
    )
    return Names(
        {name: f"task-{number}" for number, name in enumerate(tasks, 1)},
        {name: f"person-{number}" for number, name in enumerate(dict.fromkeys(people), 1)},
    )


def data_of(logbook: Logbook, plan: Plan, kept: Kept) -> str:
    """Return the data as JSON that can stand in a page; plan: by which results went."""
    record = logbook.newest_plan()
    assert record is not None, "there are runs"
    names = names_for(logbook, kept)
    exported = export_runs(logbook)
    runs, ids = PackedRows(exported.columns), set()
    for row in _with_machines(filter(kept.has, exported.rows()), logbook.rigs(), kept.anonymous):
        runs.add(_as_kept(row, kept, names))
        ids.add(row["id"])
    verdicts = list(rows_of_verdicts(logbook)) if logbook.has_verdicts() else []
    verdicts = [
        _verdict_as_kept(one, kept, names) for one in verdicts if {one["left_run"], one["right_run"]} - {None} <= ids
    ]
    plan = _plan_for_page(plan, kept, names)
    content = {
        "unvek": FORMAT,
        "kind": KIND,
        "plan": {
            **plan_as_json(plan, record.cells, record.weights_bytes),
            "title": plan.title,
        },
        "runs": runs.whole(),
        "verdicts": packed(verdicts, dict.fromkeys(name for one in verdicts for name in one)),
    }
    return json.dumps(content, allow_nan=False, separators=(",", ":"), ensure_ascii=True).replace("<", "\\u003c")


def _with_machines(
    rows: Iterable[dict[str, Any]], rigs: Mapping[str, Mapping[str, Any]], anonymous: bool
) -> Iterator[dict[str, Any]]:
    """Have the first row of a machine tell its facts: the one that did may not be kept. A name may be a host's."""
    told: set[str] = set()
    for row in rows:
        row.pop("machine_facts", None)
        if row["machine"] not in told and row["machine"] in rigs:
            told.add(row["machine"])
            facts = rigs[row["machine"]].items()
            row["machine_facts"] = {name: fact for name, fact in facts if not (anonymous and name == "name")}
        yield row


def digest_of(data: str) -> str:
    return hashlib.sha256(data.encode()).hexdigest()


def _as_kept(row: Mapping[str, Any], kept: Kept, names: Names) -> dict[str, Any]:
    found = {name: value for name, value in row.items() if value is not None}
    found["task"] = names.task(row["task"])
    if not kept.with_texts:
        found.pop("error", None)
        found = {name: value for name, value in found.items() if not name.startswith(WHY)}
    if kept.anonymous:
        for name in [name for name in found if name.startswith(DEFINITION)]:
            found[name] = {**found[name], "wanted": []}
        found.pop("voided", None) if found.get("voided") is None else found.update(voided="taken out")
    return found


def _verdict_as_kept(row: Mapping[str, Any], kept: Kept, names: Names) -> dict[str, Any]:
    found = {name: value for name, value in row.items() if value not in (None, "", [], {})}
    found["judge"] = names.person(row["judge"])
    if not kept.with_texts or kept.anonymous:
        for name in ("why", "notes", "unreadable"):
            if name in found:
                found[name] = [] if name == "notes" else "not told"
        found.pop("judge_made_of", None)
    return found


def _plan_for_page(plan: Plan, kept: Kept, names: Names) -> Plan:
    """Return the plan without what would be run or read: runners, files, judges; tasks without texts if so wished."""
    tasks = tuple(_task_for_page(task, kept, names) for task in plan.tasks if kept.tasks(task.name))
    variants = tuple(
        replace(_by_names(one), price=plan.price_of(one.name)) for one in plan.variants if kept.variants(one.name)
    )
    return replace(
        plan, path=Path("report"), text="", runners={}, variants=variants, tasks=tasks, judges={}, earlier=None
    )


def _by_names(variant: Variant) -> Variant:
    """Return a variant whose files are names alone, that tell which variants are of one model, and lead nowhere."""
    return replace(
        variant, weights=tuple(Path(path.name or "file") for path in variant.weights),
        parts={name: Path(path.name or "file") for name, path in variant.parts.items()},
    )  # fmt: skip


def _task_for_page(task: Task, kept: Kept, names: Names) -> Task:
    bare = replace(task, name=names.task(task.name), inputs=())
    if kept.anonymous:
        return replace(bare, prompt="", wordings=("",) * len(task.wordings), expect=(), wanted=())
    return bare if kept.with_texts else replace(bare, prompt="", wordings=("",) * len(task.wordings))


# ---- columns ----


def packed(rows: Iterable[Mapping[str, Any]], columns: Iterable[str]) -> dict[str, Any]:
    """Return rows as columns, packed."""
    building = PackedRows(columns)
    for row in rows:
        building.add(row)
    return building.whole()


class PackedRows:
    """Rows as columns, one row after the other: there may be a million.

    A column is a list of values; or "of", the different ones, and "at", which of them each row has (-1: none).
    """

    def __init__(self, columns: Iterable[str]):
        self._columns = {name: _PackedColumn() for name in columns}
        self._count = 0

    def add(self, row: Mapping[str, Any]) -> None:
        self._count += 1
        for name, column in self._columns.items():
            column.add(row.get(name))

    def whole(self) -> dict[str, Any]:
        return {"count": self._count, "columns": {name: one.whole() for name, one in self._columns.items()}}


class _PackedColumn:
    """The different values, and where they are as (number, how often in a row) one after the other.

    Of a great many, most of them different, the values alone are held.
    """

    def __init__(self) -> None:
        self._count = 0
        self._places: dict[Any, int] = {}
        self._of: list[Any] = []
        self._at: list[int] = []
        self._values: list[Any] | None = None

    def add(self, value: Any) -> None:
        self._count += 1
        if self._values is not None:
            self._values.append(value)
            return
        place = -1 if value is None else self._place_of(value)
        if self._at and self._at[-2] == place:
            self._at[-1] += 1
        else:
            self._at += [place, 1]
        if len(self._of) > MANY and self._are_mostly_different:
            self._values, self._places, self._of, self._at = self._unpacked(), {}, [], []

    def _place_of(self, value: Any) -> int:
        key = json.dumps(value, sort_keys=True) if isinstance(value, dict | list) else (type(value), repr(value))
        if key not in self._places:
            self._places[key] = len(self._of)
            self._of.append(value)
        return self._places[key]

    @property
    def _are_mostly_different(self) -> bool:
        return 2 * len(self._of) > self._count

    def _unpacked(self) -> list[Any]:
        return list(_stretched(self._of, self._at))

    def whole(self) -> Any:
        if self._values is not None:
            return self._values
        return self._unpacked() if self._are_mostly_different else {"of": self._of, "at": self._at}


def _stretched(of: Sequence[Any], at: Sequence[int]) -> Iterator[Any]:
    pairs = zip(at[::2], at[1::2], strict=True)
    return (None if place < 0 else of[place] for place, times in pairs for _ in range(times))


def unpacked(content: Any) -> Iterator[dict[str, Any]]:
    """Yield the rows of packed columns; ValueError where they are none, or too many."""
    if not isinstance(content, dict) or not isinstance(content.get("columns"), dict):
        raise ValueError("no columns")
    count = content.get("count")
    if not isinstance(count, int) or isinstance(count, bool) or not 0 <= count <= LARGEST_DATA_RUNS:
        raise ValueError("no count of rows")
    columns = {name: _unpacked(column, count) for name, column in content["columns"].items()}
    for values in zip(*columns.values(), strict=True) if columns else ():
        yield {name: value for name, value in zip(columns, values, strict=True) if value is not None}


def _unpacked(column: Any, count: int) -> Iterator[Any]:
    if isinstance(column, list):
        if len(column) != count:
            raise ValueError("columns of different lengths")
        return iter(column)
    if not isinstance(column, dict) or not isinstance(column.get("of"), list) or not isinstance(column.get("at"), list):
        raise ValueError("a column that is neither values nor places of them")
    of, at = column["of"], column["at"]
    whole = all(isinstance(one, int) and not isinstance(one, bool) for one in at)
    places, times = (at[::2], at[1::2]) if whole and len(at) % 2 == 0 else ([], [-1])
    if any(time < 1 for time in times) or sum(times) != count or any(not -1 <= p < len(of) for p in places):
        raise ValueError("a column whose places are none of its values")
    return _stretched(of, at)


# ---- from a page ----


@dataclass(frozen=True, slots=True, kw_only=True)
class PageData:
    """What was found in a page: rows of runs and of verdicts, and the plan."""

    runs: tuple[dict[str, Any], ...]
    verdicts: tuple[dict[str, Any], ...]
    plan: PlanOnRecord


def read_page(path: Path) -> PageData:
    """Return what a report page carries; InputError where it is none, was cut off, or was changed on the way."""
    try:
        with open(path, "rb") as file:
            content = file.read(LARGEST_PAGE + 1)
    except OSError as error:
        raise InputError(f"{path} can't be read: {error.strerror}") from error
    if len(content) > LARGEST_PAGE:
        raise InputError(f"{path} has more than {LARGEST_PAGE} bytes; a page has at most so many")
    text = content.decode("utf-8", "replace")
    start = text.find(OPENS)
    if start < 0:
        raise InputError(f"{path} is no report page of Unvek's, or one whose data was cut off")
    found = re.match(r'([0-9a-f]{64})">', text[start + len(OPENS) :])
    end = text.find(CLOSES, start)
    if found is None or end < 0:
        raise InputError(f"{path} was cut off: its data has no end")
    data = text[start + len(OPENS) + len(found[0]) : end]
    if digest_of(data) != found[1]:
        raise InputError(f"{path} was changed on the way: its data does not have the digest that stands beside it")
    try:
        return _data(json.loads(data))
    except (ValueError, RecursionError, msgspec.ValidationError) as error:
        raise InputError(f"{path} carries no data that can be read: {str(error)[:200]}") from error


def rows_of_page(page: PageData) -> Iterator[tuple[int, Sequence[str] | None, Row]]:
    """Yield a page's runs as `read_rows` does those of a file, a run being a line."""
    yield 0, list(dict.fromkeys(name for row in page.runs for name in row)), {}
    for line, row in enumerate(page.runs, 1):
        yield line, None, row


def _data(content: Any) -> PageData:
    if not isinstance(content, dict) or content.get("unvek") != FORMAT or content.get("kind") != KIND:
        raise ValueError("its data is of another kind")
    plan = content.get("plan")
    if not isinstance(plan, dict):
        raise ValueError("it has no plan")
    record = plan_from_json(_PLAN_NUMBER, "report", "", plan)
    check_plan(record.plan)
    # Nothing that comes from a page is run, or read from the disk.
    bare = replace(
        record.plan, runners={}, judges={}, earlier=None,
        variants=tuple(map(_by_names, record.plan.variants)),
        tasks=tuple(replace(one, inputs=()) for one in record.plan.tasks),
    )  # fmt: skip
    return PageData(
        runs=tuple(unpacked(content.get("runs"))), verdicts=tuple(unpacked(content.get("verdicts"))),
        plan=replace(record, plan=bare),
    )  # fmt: skip
