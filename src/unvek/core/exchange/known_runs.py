"""Which run of a logbook a row tells of again: by its id, or by where it stood in a session of a name."""

import json
from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property
from typing import Any

from unvek.core.exchange.columns import DEFAULT_SEED, DEFAULT_TASK, BroughtRun, brought_run
from unvek.core.exchange.exporting import RowsOfRuns
from unvek.core.logbook.rows import RunRow, SessionRow
from unvek.core.logbook.store import Logbook
from unvek.core.run.events.record import MEASURED

STANDS_BY = ("task", "seed", "round", "repeat")  # with variant and session: what tells a run without an id
Place = tuple[Any, ...]


class KnownRuns:
    """The runs that were there before an import began."""

    def __init__(self, logbook: Logbook):
        self._logbook = logbook
        self._rows = RowsOfRuns(logbook)
        self._sessions = {session.name: session for session in logbook.sessions()}
        self._places: dict[str, dict[Place, int]] = {}

    def of(self, batch: Sequence[tuple[BroughtRun, str | None]]) -> list[Sequence[int]]:
        """Return for each (run, name of its session) the numbers of the runs that it may be: none for a new one.

        Of one that was replaced there are several, voided ones among them; one that counts stands last.
        """
        by_id = self._logbook.numbers_by_id([run.own["id"] for run, _ in batch if "id" in run.own])
        return [by_id.get(run.own["id"], ()) if "id" in run.own else self._by_place(run, name) for run, name in batch]

    def as_told(self, numbers: Iterable[int]) -> dict[int, BroughtRun]:
        """Return what an export tells of these runs, read back, by their numbers."""
        wanted = sorted(set(numbers))
        if not wanted:
            return {}
        runs = self._logbook.runs_numbered(wanted)
        told = self._rows.rows(runs, self._logbook.measurements_of(*wanted))
        return {run.number: brought_run(row) for run, row in zip(runs, told, strict=True)}

    def looks_known(self, run: BroughtRun) -> bool:
        """Whether a run without an id tells the very same time of the same item as one that was brought in before."""
        return "id" not in run.own and _look(run.own) in self._looks

    @cached_property
    def _looks(self) -> frozenset[Place]:
        brought = (run for run in self._logbook.run_table(RunRow) if run.source != MEASURED and run.voided is None)
        return frozenset(_look({name: getattr(run, name) for name in LOOKS}) for run in brought)

    def _by_place(self, run: BroughtRun, session: str | None) -> Sequence[int]:
        if session not in self._sessions or not all(name in run.own for name in STANDS_BY):
            return ()
        if session not in self._places:
            self._places[session] = self._places_of(self._sessions[session])
        number = self._places[session].get(_place(run.own, run.own["round"]))
        return () if number is None else (number,)

    def _places_of(self, session: SessionRow) -> dict[Place, int]:
        names = ("variant", "varied", "warm_up", *STANDS_BY)
        return {
            _place({name: getattr(run, name) for name in names}, run.round - session.rounds_before): run.number
            for run in self._logbook.runs_of_session(session.number)
        }


LOOKS = ("variant", "task", "seed", "varied", "time_s", "warm_up")


def _look(own: Mapping[str, Any]) -> Place:
    return (
        own["variant"],
        own.get("task", DEFAULT_TASK),
        own.get("seed", DEFAULT_SEED),
        _words(own),
        own.get("time_s"),
    )


def _place(own: Mapping[str, Any], round_number: int) -> Place:
    return (own["variant"], own["task"], own["seed"], _words(own), round_number, own["repeat"])


def _words(own: Mapping[str, Any]) -> str:
    """What is varied, and whether it is a warm-up, as a text that is the same for the same."""
    return json.dumps([own.get("varied") or {}, bool(own.get("warm_up"))], sort_keys=True)
