"""Runs from elsewhere into the tables of a logbook, in one transaction: what was not brought along is unknown."""

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from sqlalchemy import Connection, update

from unvek.core.exchange.brought_sessions import Launches, Rig, Sessions
from unvek.core.exchange.columns import DEFAULT_SEED, DEFAULT_TASK, BroughtMeasure, BroughtRun
from unvek.core.exchange.known_runs import KnownRuns
from unvek.core.ids import new_id
from unvek.core.logbook import tables
from unvek.core.logbook.inserting import insert_all, insert_bare_details, next_number, now
from unvek.core.logbook.measure_names import OF_OTHERS
from unvek.core.logbook.rows import KeptRun
from unvek.core.logbook.store import Logbook, Measurement, keep_measurements
from unvek.core.measures.catalogue import BUILT_IN, is_ours, measured_definition
from unvek.core.measures.definition import BROUGHT, Definition
from unvek.core.run.events.record import CELL_FROM_ELSEWHERE, CELL_OF_EARLIER, FINISHED, IMPORTED


@dataclass(frozen=True, slots=True)
class Placed:
    """A run with its round and repeat, as the file gives them or as its order says."""

    run: BroughtRun
    round: int
    repeat: int


@dataclass(slots=True)
class Count:
    """How many runs were new, took the place of earlier ones, were there already, or look as if they were."""

    new: int = 0
    replaced: int = 0
    unchanged: int = 0
    alike: int = 0
    variants: dict[str, None] = field(default_factory=dict)


class Bringing:
    """Takes runs batch by batch. `finish` settles what only the whole file tells."""

    def __init__(self, logbook: Logbook, connection: Connection, file: str, name: str | None, rig: Rig, digest: str):
        """name and rig are those of runs that do not say theirs; file and digest are the file's."""
        self._logbook, self._connection, self._file = logbook, connection, file
        self._name = name
        self._known = KnownRuns(logbook)
        self.sessions = Sessions(logbook, connection, name, rig, digest)
        self._launches = Launches(logbook, connection, self.sessions)
        self._first = self._next = next_number(connection, tables.runs)
        self._numbers: dict[str, int] = {}  # of the runs that this file has brought, by their ids
        self._held: list[tuple[Measurement, str]] = []  # measurements with the id of the run that each is held against
        self.count = Count()

    def take(self, batch: Sequence[Placed]) -> None:
        """Take runs: those that are there already are left, those that say otherwise take their places.

        One that the file itself gives as taken out takes no place: it is history, and is kept as such.
        """
        names = [placed.run.beside.get("session") or self._name for placed in batch]
        known = self._known.of([(placed.run, name) for placed, name in zip(batch, names, strict=True)])
        as_told = self._known.as_told(number for numbers in known for number in numbers)
        coming, replaced = [], []
        for placed, numbers in zip(batch, known, strict=True):
            run = placed.run
            self.count.variants.setdefault(run.own["variant"])
            self.sessions.of(run)
            if any(run.is_told_by(as_told[number]) for number in numbers):
                self.count.unchanged += 1
                continue
            coming.append(placed)
            if numbers and "voided" not in run.own:
                replaced.append(numbers[-1])
            else:
                self.count.alike += self._known.looks_known(run)
        self.count.new += len(coming) - len(replaced)
        self.count.replaced += len(replaced)
        self._take_out(replaced)
        self._insert(coming)

    def _take_out(self, replaced: Sequence[int]) -> None:
        runs = tables.runs.c
        if replaced:
            self._connection.execute(
                update(tables.runs)
                .where(runs.number.in_(replaced), runs.voided.is_(None))
                .values(voided=f"replaced by the import of {self._file}")
            )

    def _insert(self, coming: Sequence[Placed]) -> None:
        rows: list[KeptRun] = []
        measurements: list[Measurement] = []
        for placed in coming:
            row = self._row(placed)
            self._numbers[row.id] = row.number
            rows.append(row)
            for name, measure in placed.run.measures.items():
                measurements += self._measurements(row.number, name, measure)
        insert_all(self._connection, tables.runs, rows)
        if rows:
            insert_bare_details(self._connection, rows[0].number, rows[-1].number)
        keep_measurements(self._connection, measurements)

    def _row(self, placed: Placed) -> KeptRun:
        run, own = placed.run, placed.run.own
        round_number = placed.round + self.sessions.of(run).rounds_before
        launch, place = self._launches.of(run, round_number)
        number, self._next = self._next, self._next + 1
        values: dict[str, Any] = {
            "id": new_id(), "status": FINISHED, "task": DEFAULT_TASK, "seed": DEFAULT_SEED, **own, "number": number,
            "launch": launch, "place": place, "round": round_number, "repeat": placed.repeat, "cell": cell_of(run),
            "source": own.get("source", IMPORTED), "started_at": run.beside.get("started") or now(),
        }  # fmt: skip
        return KeptRun(**values)

    def _measurements(self, run: int, name: str, measure: BroughtMeasure) -> list[Measurement]:
        """Return what can be kept now; what is held against another run waits until all runs are there."""
        name, definition = _defined(name, measure)
        found = Measurement(
            run=run, name=name, origin=measure.origin or IMPORTED, definition=definition, value=measure.value,
            why=measure.why,
        )  # fmt: skip
        self._held += [(replace(found, value=value, why=None), against) for against, value in measure.besides.items()]
        if measure.value is None and measure.why is None:
            return []
        if measure.against is not None:
            self._held.append((found, measure.against))
            return []
        return [found]

    def finish(self) -> None:
        """Hold measurements against the runs that they are of, and count rounds on from those that were there."""
        known = self._logbook.numbers_by_id(sorted({identity for _, identity in self._held}))
        numbers = {identity: of_id[-1] for identity, of_id in known.items()} | self._numbers
        keep_measurements(
            self._connection,
            (replace(one, against=numbers.get(identity, 0)) for one, identity in self._held if identity in numbers),
        )
        self.sessions.put_rounds_behind(self._first, tuple(self.count.variants))


def cell_of(run: BroughtRun) -> str:
    """Return the cell under which a run counts here, or does not."""
    own, beside = run.own, run.beside
    if "cell" in beside:
        return f"{CELL_FROM_ELSEWHERE if beside.get('of_plan', True) else CELL_OF_EARLIER}{beside['cell']}"
    task, seed = own.get("task", DEFAULT_TASK), own.get("seed", DEFAULT_SEED)
    return cell_from_elsewhere(own["variant"], own.get("form", "full"), task, seed, own.get("varied", {}))


def cell_from_elsewhere(variant: str, form: str, task: str, seed: int, varied: Mapping[str, Any]) -> str:
    """Return the cell of a run that nobody's plan tells of."""
    what = [variant, form, task, seed, sorted(varied.items())]
    return CELL_FROM_ELSEWHERE + hashlib.sha256(json.dumps(what).encode()).hexdigest()[:24]


def _defined(name: str, measure: BroughtMeasure) -> tuple[str, Definition]:
    """Return a measure's name as it was come by, and what its values are."""
    if measure.definition is not None:
        beginning = OF_OTHERS.get(measure.definition.kind, "")
        return name.removeprefix(beginning), measure.definition
    if is_ours(name):
        return name, measured_definition(name, BUILT_IN[name].unit if name in BUILT_IN else "")
    return name, Definition(kind=BROUGHT)
