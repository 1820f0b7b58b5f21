"""The logbook, written: a run at a time, each safe when it is over."""

import hashlib
from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import UTC, datetime
from pathlib import Path
from statistics import median
from typing import Any

from sqlalchemy import Connection, select

from unvek.core.logbook import tables
from unvek.core.logbook.database import told_of_disk
from unvek.core.logbook.folder import OutputFile
from unvek.core.logbook.foreign import ForeignRun, keep_runs
from unvek.core.logbook.packing import pack_floats
from unvek.core.logbook.reading import LogbookReading, Measured, PlanOnRecord, Row
from unvek.core.run.record import RunRecord
from unvek.core.run.streams import as_rows

__all__ = ["Logbook", "Measured", "PlanOnRecord", "Row"]


class Logbook(LogbookReading):
    """An open logbook, with all that can be asked of it, and all that can be written into it."""

    rig = ""  # the fingerprint of the machine that the next launches are made on

    # ---- writing: what a plan's runs need (the engine's Keeper) ----

    def record_rig(self, fingerprint: str, facts: Mapping[str, Any]) -> None:
        """Note the machine that the next launches are made on."""
        self.rig = fingerprint
        with self._writing() as connection:
            _note_rig(connection, fingerprint, facts)

    def record_plan(self, path: Path, text: str, content: Mapping[str, Any]) -> int:
        """Note the plan whose runs are made next; the newest plan is what findings speak of."""
        digest = hashlib.sha256(repr((text, content)).encode()).hexdigest()
        with self._writing() as connection:
            newest = connection.execute(
                select(tables.plans.c.number, tables.plans.c.digest).order_by(tables.plans.c.number.desc()).limit(1)
            ).first()
            if newest is not None and newest.digest == digest:
                return int(newest.number)
            return _inserted(
                connection,
                tables.plans.insert().values(
                    digest=digest, recorded_at=_now(), path=str(path), text=text, content=dict(content)
                ),
            )

    def open_launch(self, variant: str, round_number: int) -> int:
        with self._writing() as connection:
            return _inserted(
                connection,
                tables.launches.insert().values(
                    variant=variant, round=round_number, rig=self.rig, started_at=_now(), about={}
                ),
            )

    def describe_launch(self, number: int, load_s: float | None, error: str | None, about: Mapping[str, Any]) -> None:
        with self._writing() as connection:
            connection.execute(
                tables.launches.update()
                .where(tables.launches.c.number == number)
                .values(load_s=load_s, error=error, about=dict(about))
            )

    def log_path(self, launch: int) -> Path:
        return self.folder.log_path(launch)

    def making_path(self, launch: int, place: int) -> Path:
        try:
            return self.folder.making_path(launch, place)
        except OSError as error:
            raise told_of_disk(self.folder.path, error) from error

    def keep_run(self, run: RunRecord, made: Path | None) -> int:
        """Keep a run in one transaction, its outputs first; it is safe when this returns."""
        kept: tuple[OutputFile, ...] = ()
        if made is not None:
            try:
                kept = self.folder.adopt(made, run.start.launch, run.start.place)
            except OSError as error:
                raise told_of_disk(self.folder.path, error) from error
        with self._writing() as connection:
            number = _inserted(connection, tables.runs.insert().values(**_run_row(run)))
            connection.execute(tables.run_details.insert().values(run=number, **_details_row(run)))
            if kept:
                connection.execute(
                    tables.outputs.insert(),
                    [{"run": number, "path": file.path, "bytes": file.bytes, "digest": file.digest} for file in kept],
                )
            values = run.progress.values
            if values:
                connection.execute(
                    tables.measures.insert(),
                    [{"run": number, "name": value.name, "against": 0, "value": value.number, "unit": value.unit}
                     for value in values],
                )  # fmt: skip
        return number

    def keep_imported(
        self,
        runs: Iterable[ForeignRun],
        rig: str,
        facts: Mapping[str, Any],
        content: Callable[[], Mapping[str, Any]],
    ) -> int:
        """Keep runs from elsewhere in one transaction, a launch for each round of a variant; return how many.

        Where the logbook has no plan yet, what content returns takes its place, once all runs are seen. Whatever runs
        or content raise, nothing is kept.
        """
        with self._writing() as connection:
            _note_rig(connection, rig, facts)
            kept = keep_runs(connection, runs, rig, _now())
            if connection.scalar(select(tables.plans.c.number).limit(1)) is None:
                connection.execute(
                    tables.plans.insert().values(
                        digest="", recorded_at=_now(), path="", text="", content=dict(content())
                    )
                )  # fmt: skip
        return kept

    def void_slots(self, cell_keys: Iterable[str], reason: str) -> int:
        """Take every run of these cells out, with the reason; return how many. Nothing is deleted."""
        with self._writing() as connection:
            return connection.execute(
                tables.runs.update()
                .where(tables.runs.c.cell.in_(list(cell_keys)), tables.runs.c.voided.is_(None))
                .values(voided=reason)
            ).rowcount

    def add_measures(self, measured: Sequence[Measured]) -> None:
        """Keep measures that were worked out from outputs; ones that are there already are left."""
        if not measured:
            return
        rows = [
            {"run": m.run, "name": m.name, "against": m.against, "value": m.value, "unit": m.unit} for m in measured
        ]
        with self._writing() as connection:
            connection.execute(tables.measures.insert().prefix_with("OR IGNORE"), rows)

    def note_run(self, run: int, text: str) -> None:
        """Keep a remark on a run; InputError where there is no such run."""
        self.run(run)
        with self._writing() as connection:
            connection.execute(tables.notes.insert().values(run=run, noted_at=_now(), text=text))

    def void_run(self, run: int, reason: str | None) -> None:
        """Take a run out, with the reason; None takes it in again. InputError where there is no such run."""
        self.run(run)
        with self._writing() as connection:
            connection.execute(tables.runs.update().where(tables.runs.c.number == run).values(voided=reason))

    def record_forecast(self, title: str, runs: int, low_s: float, high_s: float) -> int:
        """Note how long so many runs are to take together, and return the forecast's number."""
        with self._writing() as connection:
            return _inserted(
                connection,
                tables.forecasts.insert().values(made_at=_now(), title=title, runs=runs, low_s=low_s, high_s=high_s),
            )

    def close_forecast(self, number: int, took_s: float) -> None:
        """Note how long it took, once all of it was made in one go."""
        with self._writing() as connection:
            connection.execute(
                tables.forecasts.update().where(tables.forecasts.c.number == number).values(took_s=took_s)
            )


def _note_rig(connection: Connection, fingerprint: str, facts: Mapping[str, Any]) -> None:
    known = select(tables.rigs.c.fingerprint).where(tables.rigs.c.fingerprint == fingerprint)
    if connection.scalar(known) is None:
        connection.execute(tables.rigs.insert().values(fingerprint=fingerprint, facts=dict(facts)))


def _run_row(run: RunRecord) -> dict[str, Any]:
    start, progress = run.start, run.progress
    steps = progress.step_times_s
    return {
        "cell": start.cell,
        "launch": start.launch,
        "place": start.place,
        "variant": start.variant,
        "form": start.form,
        "task": start.task,
        "seed": start.seed,
        "round": start.round,
        "repeat": start.repeat,
        "warm_up": start.warm_up,
        "varied": dict(start.varied),
        "status": run.status,
        "error": run.error,
        "started_at": start.started_at,
        "time_s": progress.time_s,
        "first_s": progress.first_s,
        "steps": len(steps),
        "step_time_s": median(steps) if steps else None,
        "memory_peak_bytes": run.memory_peak_bytes,
        "memory_device_bytes": run.memory_device_bytes,
        "cpu_s": progress.cpu_s,
        "tokens": progress.tokens,
        "source": start.source,
        "trial": start.trial,
        "energy_j": run.machine.get("energy_j"),
        "others_share": run.machine.get("others_share"),
        "stolen_share": run.machine.get("stolen_share"),
        "forecast_low_s": run.forecast.low_s if run.forecast is not None else None,
        "forecast_high_s": run.forecast.high_s if run.forecast is not None else None,
        "forecast_basis": run.forecast.basis if run.forecast is not None else None,
    }


def _details_row(run: RunRecord) -> dict[str, Any]:
    return {
        "settings": dict(run.start.settings),
        "limits": dict(run.limits),
        "step_times_s": pack_floats(run.progress.step_times_s),
        "phases_s": dict(run.progress.phases_s),
        "faults": [list(fault) for fault in run.progress.faults],
        "provenance": dict(run.provenance),
        "exit_code": run.exit_code,
        "log_tail": run.log_tail,
        "text": run.progress.text,
        "machine": dict(run.machine),
        "piece_times_s": pack_floats(run.progress.piece_times_s),
        "requests": as_rows(run.progress.requests),
    }


def _inserted(connection: Connection, insert: Any) -> int:
    key = connection.execute(insert).inserted_primary_key
    assert key is not None, "every table here numbers its rows"
    return int(key[0])


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="milliseconds")
