"""A logbook's runs as rows of a table: the columns that an import reads, so that what comes back is what went out."""

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from unvek.core.errors import InputError
from unvek.core.exchange.columns import (
    AGAINST,
    BESIDES,
    DEFINITION,
    LONGEST_ERROR,
    LONGEST_TEXT,
    MEASURE,
    OF_RUNS,
    ORIGIN,
    WHY,
)
from unvek.core.exchange.filled_columns import BUILT_IN, columns_filled
from unvek.core.logbook.measure_names import MeasureNames
from unvek.core.logbook.plan_record import plain
from unvek.core.logbook.rows import KeptRun, MeasurementRow, model_memory_bytes
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
        measurements: dict[int, list[MeasurementRow]] = {}
        for row in logbook.measurements_within(runs[0].number, runs[-1].number):
            measurements.setdefault(row.run, []).append(row)
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
        self._clean_names: dict[str, str] = {}

    def rows(
        self, runs: Iterable[KeptRun], measurements: Mapping[int, list[MeasurementRow]]
    ) -> Iterator[dict[str, Any]]:
        """Yield a row for each run, of what is known of it."""
        for run in runs:
            launch = self._launches[run.launch]
            session = self._sessions.get(launch.session or 0)
            row = {
                **{name: getattr(run, name) for name in OF_RUNS},
                "varied": dict(run.varied) or None,
                "round": run.round - (session.rounds_before if session is not None else 0),
                "error": run.error[:LONGEST_ERROR] if run.error else None,
                "voided": run.voided[:LONGEST_TEXT] if run.voided else None,
                "cell": bare_cell(run.cell),
                "of_plan": run.cell in self._cells or is_from_elsewhere(run.cell),
                "launch_id": launch.id,
                "session": session.name if session is not None else None,
                "session_id": session.id if session is not None else None,
                "machine": launch.rig,
                "machine_facts": self._rigs.pop(launch.rig, None),
                "started": run.started_at,
                "run": run.number,
                "launch": run.launch,
                **dict(_built_in(run)),
                MEASURE + LOAD: launch.load_s,
                MEASURE + MODEL_MEMORY: model_memory_bytes(run, launch),
                **self._measured(run, measurements.get(run.number, ())),
            }
            yield self._told(row)

    def _told(self, row: Mapping[str, Any]) -> dict[str, Any]:
        """Return what is known, without what would make whatever opens a table do what it says."""
        told, names = {}, self._clean_names
        for name, value in row.items():
            if value is None:
                continue
            if name not in names:
                names[name] = clean_text(name)
            if isinstance(value, str):
                if not (value.isascii() and value.isprintable()):
                    value = clean_text(value)
            elif isinstance(value, dict | list):
                value = each_text(value, clean_text)
            told[names[name]] = value
        return told

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
                found[MEASURE + name], found[WHY + name] = main.value, main.why
                against = self._held_against.get(main.against)
                found[AGAINST + name] = against.id if against is not None else None
        return found

    def _stands_for(self, run: KeptRun, row: MeasurementRow) -> bool:
        """Whether this is the value of the run itself: alone, or against the plan's reference at the same seed."""
        against = self._held_against.get(row.against)
        return against is None or (against.seed == run.seed and against.variant == self._reference)


def _built_in(run: KeptRun) -> Iterator[tuple[str, float | None]]:
    """The built-in measures that have no column of their own."""
    for name, column in BUILT_IN.items():
        value = getattr(run, column)
        is_none = value is None or (name == "output.tokens" and value == 0)
        yield MEASURE + name, None if is_none else float(value)
