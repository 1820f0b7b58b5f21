"""A logbook's runs as rows of a table: the columns that an import reads, so that what comes back is what went out."""

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from operator import attrgetter
from typing import Any, NamedTuple

from msgspec.json import encode

from unvek.core.errors import InputError
from unvek.core.exchange.cells import LONGEST_ERROR, LONGEST_TEXT
from unvek.core.exchange.columns import (
    AGAINST,
    BESIDES,
    DEFINITION,
    MEASURE,
    OF_RUNS,
    ORIGIN,
    WHY,
)
from unvek.core.exchange.filled_columns import BUILT_IN, columns_filled
from unvek.core.logbook.measure_names import MeasureNames
from unvek.core.logbook.plan_record import plain
from unvek.core.logbook.rows import KeptRun, LaunchRow, MeasurementRow, model_memory_bytes
from unvek.core.logbook.store import Logbook
from unvek.core.measures.catalogue import LOAD, MODEL_MEMORY
from unvek.core.measures.definition import MEASURED_HERE
from unvek.core.plain_text import clean_text, each_text
from unvek.core.run.events.record import bare_cell, is_from_elsewhere


@dataclass(frozen=True, slots=True, kw_only=True)
class Exported:
    """Every run of the plans of a logbook, voided ones too, with the columns that runs fill.

    rows makes them anew each time, one after the other, so that a million of them need no room.
    """

    columns: tuple[str, ...]
    rows: Callable[[], Iterator[dict[str, Any]]]


def export_runs(logbook: Logbook) -> Exported:
    """Return the runs in the order in which they were made."""
    last, columns = logbook.last_run(), columns_filled(logbook)
    return Exported(columns=columns, rows=lambda: _rows(logbook, last, frozenset(columns)))


def _rows(logbook: Logbook, last: int, columns: frozenset[str]) -> Iterator[dict[str, Any]]:
    of_runs = RowsOfRuns(logbook)
    for runs in logbook.blocks_of_runs(last):
        measurements = logbook.measurements_within(runs[0].number, runs[-1].number)
        for told in of_runs.rows(runs, measurements):
            if not columns.issuperset(told):
                raise InputError("runs were changed while they were being exported; export them again")
            yield told


class RowsOfRuns:
    """Turns runs into rows. The facts of a machine stand in the first row that is of it, and in no other."""

    def __init__(self, logbook: Logbook):
        plan = logbook.newest_plan()
        self._cells = frozenset(plan.cells if plan is not None else ())
        self._reference = plan.plan.reference if plan is not None else ""
        self._launches = {launch.number: launch for launch in logbook.launches()}
        self._sessions = {session.number: session for session in logbook.sessions()}
        self._rigs = dict(logbook.rigs())
        self._definitions = logbook.definitions()
        self._names = MeasureNames(plan.plan if plan is not None else None, self._definitions)
        self._contents = {number: plain(row.content) for number, row in self._definitions.items()}
        self._held_against = logbook.held_against()
        self._told_of_launches: dict[int, _OfLaunch] = {}

    def rows(self, runs: Iterable[KeptRun], measurements: Iterable[MeasurementRow]) -> Iterator[dict[str, Any]]:
        """Yield a row for each run, of what is known of it; measurements: those of these runs, in any order."""
        by_run: dict[int, list[MeasurementRow]] = {}
        for one in measurements:
            by_run.setdefault(one.run, []).append(one)
        for run in runs:
            of_launch = self._of_launch(run.launch)
            row = {name: value for name, value in zip(OWN, _own(run), strict=True) if value is not None}
            row["round"] = run.round - of_launch.rounds_before
            row["cell"] = bare_cell(run.cell)
            row["of_plan"] = run.cell in self._cells or is_from_elsewhere(run.cell)
            row["started"], row["run"], row["launch"] = run.started_at, run.number, run.launch
            row |= of_launch.told
            if run.rig in self._rigs:
                row["machine_facts"] = self._rigs.pop(run.rig)
            if run.varied:
                row["varied"] = dict(run.varied)
            if run.error:
                row["error"] = run.error[:LONGEST_ERROR]
            if run.voided:
                row["voided"] = run.voided[:LONGEST_TEXT]
            row |= _built_in(run, of_launch.launch)
            if run.number in by_run:
                row |= self._measured(run, by_run[run.number])
            yield row if _is_plain(row) else each_text(row, clean_text)  # what opens a table would do what it says

    def _of_launch(self, number: int) -> "_OfLaunch":
        """Return what all runs of a launch tell alike."""
        if number not in self._told_of_launches:
            launch = self._launches[number]
            session = self._sessions.get(launch.session or 0)
            told = {"launch_id": launch.id, "machine": launch.rig}
            if session is not None:
                told |= {"session": session.name, "session_id": session.id}
            rounds_before = session.rounds_before if session is not None else 0
            self._told_of_launches[number] = _OfLaunch(launch, rounds_before, told)
        return self._told_of_launches[number]

    def _measured(self, run: KeptRun, measurements: Iterable[MeasurementRow]) -> dict[str, Any]:
        by_name: dict[str, list[MeasurementRow]] = {}
        for row in measurements:
            shown = self._names[row.definition]
            if shown is not None and shown.of_task(run.task):
                by_name.setdefault(shown.measure.name, []).append(row)
        found: dict[str, Any] = {}
        for name, rows in by_name.items():
            main = next((row for row in rows if self._stands_for(run, row)), None)
            besides = {self._held_against[row.against].id: row.value for row in rows
                       if row is not main and row.against in self._held_against and row.value is not None}  # fmt: skip
            one = main if main is not None else rows[0]
            definition = self._definitions[one.definition]
            found[ORIGIN + name] = definition.origin
            if definition.content.kind != MEASURED_HERE:  # what that is goes by the name
                found[DEFINITION + name] = self._contents[one.definition]
            if besides:
                found[BESIDES + name] = besides
            if main is not None:
                against = self._held_against.get(main.against)
                told = {MEASURE: main.value, WHY: main.why, AGAINST: against.id if against is not None else None}
                found |= {part + name: value for part, value in told.items() if value is not None}
        return found

    def _stands_for(self, run: KeptRun, row: MeasurementRow) -> bool:
        """Whether this is the value of the run itself: alone, or against the plan's reference at the same seed."""
        against = self._held_against.get(row.against)
        return against is None or (against.seed == run.seed and against.variant == self._reference)


def _is_plain(row: Mapping[str, Any]) -> bool:
    """Whether no text of a row is more than plain letters: looked at as one, which takes a tenth of the time."""
    text = encode(row)
    return text.isascii() and b"\\" not in text and b"\x7f" not in text  # JSON has other signs behind a backslash


class _OfLaunch(NamedTuple):
    launch: LaunchRow
    rounds_before: int
    told: Mapping[str, str]


# A run's own columns that stand in a row as they stand in the logbook.
OWN = tuple(name for name in OF_RUNS if name not in ("varied", "round", "error", "voided"))
_own = attrgetter(*OWN)
_of_built_in = attrgetter(*BUILT_IN.values())
TOKENS = MEASURE + "output.tokens"
NAMES_OF_BUILT_IN = tuple(MEASURE + name for name in BUILT_IN)


def _built_in(run: KeptRun, launch: LaunchRow) -> dict[str, float]:
    """The built-in measures that have no column of their own."""
    told = {
        name: float(value)
        for name, value in zip(NAMES_OF_BUILT_IN, _of_built_in(run), strict=True)
        if value is not None and (value or name != TOKENS)
    }
    if launch.load_s is not None:
        told[MEASURE + LOAD] = launch.load_s
    if (model_bytes := model_memory_bytes(run, launch)) is not None:
        told[MEASURE + MODEL_MEMORY] = model_bytes
    return told
