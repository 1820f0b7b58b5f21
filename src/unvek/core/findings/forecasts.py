"""Forecasts, scored: how often what was said beforehand held."""

from collections.abc import Iterable
from dataclasses import dataclass
from statistics import median
from typing import ClassVar

from unvek.core.logbook.store import Logbook, Row
from unvek.core.run.record import FINISHED


@dataclass(frozen=True, slots=True, kw_only=True)
class ForecastScored:
    """One forecast of a run, and what it took."""

    run: int
    variant: str
    form: str
    task: str
    seed: int
    cold: bool
    basis: str
    low_s: float
    high_s: float
    time_s: float
    held: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class BasisScored:
    """All forecasts that went by the same thing. `width` is the range's end over its beginning, in the middle."""

    basis: str
    forecasts: int
    held: int
    width: float


@dataclass(frozen=True, slots=True, kw_only=True)
class SessionScored:
    """A forecast of everything that was left of a plan; not scored where that was not made in one go."""

    made: str
    title: str
    runs: int
    low_s: float
    high_s: float
    took_s: float | None
    held: bool | None


@dataclass(frozen=True, slots=True, kw_only=True)
class ForecastScores:
    """Every forecast of a finished run, and of whole sessions."""

    kind: ClassVar[str] = "forecasts"
    forecasts: int
    held: int
    unforeseen: int
    bases: tuple[BasisScored, ...]
    sessions: tuple[SessionScored, ...]
    rows: tuple[ForecastScored, ...]


def score_forecasts(logbook: Logbook) -> ForecastScores:
    """Score every forecast in a logbook. Runs of which nothing could be said are counted as unforeseen."""
    finished = [row for row in logbook.runs() if row["status"] == FINISHED and row["time_s"] is not None]
    rows = tuple(_scored(row) for row in finished if row["forecast_low_s"] is not None)
    return ForecastScores(
        forecasts=len(rows),
        held=sum(row.held for row in rows),
        unforeseen=len(finished) - len(rows),
        bases=tuple(_basis(name, rows) for name in dict.fromkeys(row.basis for row in rows)),
        sessions=tuple(_session(row) for row in logbook.forecasts()),
        rows=rows,
    )


def _scored(row: Row) -> ForecastScored:
    return ForecastScored(
        run=row["number"],
        variant=row["variant"],
        form=row["form"],
        task=row["task"],
        seed=row["seed"],
        cold=row["place"] == 1,
        basis=row["forecast_basis"],
        low_s=row["forecast_low_s"],
        high_s=row["forecast_high_s"],
        time_s=row["time_s"],
        held=row["forecast_low_s"] <= row["time_s"] <= row["forecast_high_s"],
    )


def _basis(name: str, rows: Iterable[ForecastScored]) -> BasisScored:
    of_basis = [row for row in rows if row.basis == name]
    return BasisScored(
        basis=name,
        forecasts=len(of_basis),
        held=sum(row.held for row in of_basis),
        width=median(row.high_s / row.low_s for row in of_basis),
    )


def _session(row: Row) -> SessionScored:
    took_s = row["took_s"]
    return SessionScored(
        made=row["made_at"],
        title=row["title"],
        runs=row["runs"],
        low_s=row["low_s"],
        high_s=row["high_s"],
        took_s=took_s,
        held=None if took_s is None else row["low_s"] <= took_s <= row["high_s"],
    )
