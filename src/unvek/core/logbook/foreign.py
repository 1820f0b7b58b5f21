"""Runs from elsewhere as rows of the tables: everything that was not brought along is unknown."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from itertools import islice
from typing import Any

from sqlalchemy import Connection, func, literal, select

from unvek.core.logbook import tables

AT_A_TIME = 1000


@dataclass(frozen=True, slots=True, kw_only=True)
class ForeignRun:
    """A run that Unvek has not made: columns of the table `runs`, its measures with their units, its process's load."""

    columns: Mapping[str, Any]
    measures: Mapping[str, tuple[float, str]]
    load_s: float | None


def keep_runs(connection: Connection, runs: Iterable[ForeignRun], rig: str, now: str) -> int:
    """Insert runs, a launch for each round of a variant, and return how many they are."""
    launches: dict[tuple[str, int], int] = {}
    places: dict[int, int] = {}
    count = 0
    every = iter(runs)
    while some := list(islice(every, AT_A_TIME)):
        first = (connection.scalar(select(func.max(tables.runs.c.number))) or 0) + 1
        rows = []
        for number, run in enumerate(some, first):
            key = run.columns["variant"], run.columns["round"]
            if key not in launches:
                launches[key] = _opened(connection, run, rig, now)
            launch = launches[key]
            # Place 1 is the cold run of a process: of a timing it is only known where it is said to be a warm-up.
            places[launch] = places.get(launch, 0 if run.columns["warm_up"] else 1) + 1
            rows.append(_row(run, number, launch, places[launch], now))
        connection.execute(tables.runs.insert(), rows)
        _keep_no_details(connection, first, first + len(rows) - 1)
        measures = [
            {"run": number, "name": name, "against": 0, "value": value, "unit": unit}
            for number, run in enumerate(some, first)
            for name, (value, unit) in run.measures.items()
        ]
        if measures:
            connection.execute(tables.measures.insert(), measures)
        count += len(some)
    return count


def _opened(connection: Connection, run: ForeignRun, rig: str, now: str) -> int:
    inserted = connection.execute(
        tables.launches.insert().values(
            variant=run.columns["variant"], round=run.columns["round"], rig=rig, started_at=now, load_s=run.load_s,
            about={},
        )
    ).inserted_primary_key  # fmt: skip
    assert inserted is not None, "every launch is numbered"
    return int(inserted[0])


def _row(run: ForeignRun, number: int, launch: int, place: int, now: str) -> dict[str, Any]:
    unknown = dict.fromkeys(
        ("first_s", "step_time_s", "memory_peak_bytes", "memory_device_bytes", "cpu_s", "energy_j", "voided")
    )
    known = {"number": number, "launch": launch, "place": place, "started_at": now, "tokens": 0, "trial": False}
    return {**unknown, **known, **run.columns}


def _keep_no_details(connection: Connection, first: int, last: int) -> None:
    """Note of the runs with these numbers that nothing more is known: in the database, where it is the same for all."""
    unknown = {
        "settings": {}, "limits": {}, "step_times_s": b"", "phases_s": {}, "faults": [], "provenance": {},
        "log_tail": "", "text": "", "machine": {}, "piece_times_s": b"", "requests": [],
    }  # fmt: skip
    details, number = tables.run_details, tables.runs.c.number
    values = (literal(value, details.c[name].type) for name, value in unknown.items())
    connection.execute(
        details.insert().from_select(["run", *unknown], select(number, *values).where(number.between(first, last)))
    )
