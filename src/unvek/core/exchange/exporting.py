"""A logbook's runs as rows of a table: the columns that an import reads, so that what comes back is what went out."""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from unvek.core.exchange.columns import (
    AGAINST,
    BESIDES,
    DEFINITION,
    KNOWN,
    LONGEST_ERROR,
    LONGEST_TEXT,
    MEASURE,
    OF_MEASURES,
    OF_RUNS,
    ORIGIN,
    PASSED_OVER,
    WHY,
)
from unvek.core.logbook.measure_names import MeasureNames
from unvek.core.logbook.plan_record import plain
from unvek.core.logbook.rows import KeptRun, MeasurementRow, behind_measures, model_memory_bytes
from unvek.core.logbook.store import Logbook
from unvek.core.measures.catalogue import LOAD, MODEL_MEMORY
from unvek.core.measures.definition import MEASURED_HERE
from unvek.core.plain_text import clean_text, each_text
from unvek.core.run.events.record import bare_cell, is_from_elsewhere

NOT_GIVEN = ("varied", "voided", "error", "machine_facts")  # columns that are left out where no run fills them


@dataclass(frozen=True, slots=True, kw_only=True)
class Exported:
    """Every run of the plans of a logbook, voided ones too, with the columns that any of them fills."""

    columns: tuple[str, ...]
    rows: tuple[dict[str, Any], ...]


def export_runs(logbook: Logbook) -> Exported:
    """Return the runs in the order in which they were made."""
    runs = logbook.runs()
    rows = tuple(RowsOfRuns(logbook).rows(runs, _measurements(logbook)))
    filled = {name for row in rows for name, value in row.items() if value is not None}
    measures = sorted({column.partition(":")[2] for column in filled if ":" in column})
    of_measures = [part + name for name in measures for part in OF_MEASURES if part + name in filled]
    fixed = [name for name in (*KNOWN, *PASSED_OVER) if name in filled or name not in NOT_GIVEN]
    return Exported(columns=(*fixed, *of_measures), rows=rows)


def _measurements(logbook: Logbook) -> dict[int, list[MeasurementRow]]:
    """Return the measurements of every run, by its number."""
    found: dict[int, list[MeasurementRow]] = {}
    reasons = {(row.run, row.definition, row.against): row.why for row in logbook.without_value()}
    for run, definition, against, value in zip(*logbook.measured(), strict=True):
        why = reasons.get((run, definition, against)) if value is None else None
        row = MeasurementRow(run=run, definition=definition, against=against, value=value, why=why)
        found.setdefault(run, []).append(row)
    return found


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
        self._runs = {run.number: run for run in (*logbook.runs(), *logbook.runs(trials=True))}

    def rows(
        self, runs: Iterable[KeptRun], measurements: Mapping[int, list[MeasurementRow]]
    ) -> Iterator[dict[str, Any]]:
        """Yield a row for each run."""
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
            yield each_text(row, clean_text)  # what opens a table would do what it says

    def _measured(self, run: KeptRun, measurements: Iterable[MeasurementRow]) -> dict[str, Any]:
        by_name: dict[str, list[MeasurementRow]] = {}
        for row in measurements:
            shown = self._names[row.definition]
            if shown is not None and shown.of_task(run.task):
                by_name.setdefault(shown.measure.name, []).append(row)
        found: dict[str, Any] = {}
        for name, rows in by_name.items():
            main = next((row for row in rows if self._stands_for(run, row)), None)
            besides = {self._runs[row.against].id: row.value for row in rows
                       if row is not main and row.against in self._runs and row.value is not None}  # fmt: skip
            one = main if main is not None else rows[0]
            definition = self._definitions[one.definition]
            found[ORIGIN + name] = definition.origin
            if definition.content.kind != MEASURED_HERE:  # what that is goes by the name
                found[DEFINITION + name] = self._contents[one.definition]
            if besides:
                found[BESIDES + name] = besides
            if main is not None:
                found[MEASURE + name], found[WHY + name] = main.value, main.why
                found[AGAINST + name] = self._runs[main.against].id if main.against in self._runs else None
        return found

    def _stands_for(self, run: KeptRun, row: MeasurementRow) -> bool:
        """Whether this is the value of the run itself: alone, or against the plan's reference at the same seed."""
        against = self._runs.get(row.against)
        return against is None or (against.seed == run.seed and against.variant == self._reference)


_MEASURES = {name: column for name, column in behind_measures().items() if column not in OF_RUNS}


def _built_in(run: KeptRun) -> Iterator[tuple[str, float | None]]:
    """The built-in measures that have no column of their own."""
    for name, column in _MEASURES.items():
        value = getattr(run, column)
        is_none = value is None or (name == "output.tokens" and value == 0)
        yield MEASURE + name, None if is_none else float(value)
