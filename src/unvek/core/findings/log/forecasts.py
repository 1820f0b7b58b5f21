"""Forecasts, scored: how often what was said beforehand held."""

from collections.abc import Iterable
from dataclasses import dataclass
from statistics import median
from typing import ClassVar

from unvek.core.clock.acts import OTHERS_WORD
from unvek.core.logbook.rows import ForecastRow, KeptRun
from unvek.core.logbook.store import Logbook
from unvek.core.run.events.record import FINISHED


@dataclass(frozen=True, slots=True, kw_only=True)
class ForecastScored:
    """One forecast of a run, and what it took; held is None of another program's single figure, which no time meets."""

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
    held: bool | None


@dataclass(frozen=True, slots=True, kw_only=True)
class BasisScored:
    """All forecasts that went by the same thing. `width` is the range's end over its beginning, in the middle."""

    basis: str
    forecasts: int
    held: int
    width: float


@dataclass(frozen=True, slots=True, kw_only=True)
class OthersWord:
    """What another program said of runs of a variant beforehand. factor: what they took over it, in the middle."""

    variant: str
    form: str
    forecasts: int
    factor: float
    low: float
    high: float


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
    """Every forecast of a finished run, and of whole sessions; others are forecasts that other programs made."""

    kind: ClassVar[str] = "forecasts"
    forecasts: int
    held: int
    unforeseen: int
    bases: tuple[BasisScored, ...]
    sessions: tuple[SessionScored, ...]
    rows: tuple[ForecastScored, ...]
    others: tuple[OthersWord, ...] = ()


def score_forecasts(logbook: Logbook) -> ForecastScores:
    """Score every forecast in a logbook. Runs of which nothing could be said are counted as unforeseen."""
    finished = [run for run in logbook.runs() if run.status == FINISHED and run.time_s is not None]
    rows = tuple(scored for run in finished if (scored := _scored(run)) is not None)
    ours = [row for row in rows if row.held is not None]
    others = [row for row in rows if row.held is None]
    return ForecastScores(
        forecasts=len(ours),
        held=sum(row.held is True for row in ours),
        unforeseen=len(finished) - len(rows),
        bases=tuple(_basis(name, ours) for name in dict.fromkeys(row.basis for row in ours)),
        sessions=tuple(_session(row) for row in logbook.forecasts()),
        rows=rows,
        others=tuple(_others(name, others) for name in dict.fromkeys(row.variant for row in others)),
    )


def _scored(run: KeptRun) -> ForecastScored | None:
    """Return a run's forecast and what it took; None where nothing was foreseen of it."""
    low_s, high_s, time_s = run.forecast_low_s, run.forecast_high_s, run.time_s
    if low_s is None or high_s is None or time_s is None or not 0 < low_s <= high_s:
        return None
    return ForecastScored(
        run=run.number,
        variant=run.variant,
        form=run.form,
        task=run.task,
        seed=run.seed,
        cold=run.place == 1,
        basis=run.forecast_basis or "",
        low_s=low_s,
        high_s=high_s,
        time_s=time_s,
        held=None if run.forecast_basis == OTHERS_WORD else low_s <= time_s <= high_s,
    )


def _others(variant: str, rows: Iterable[ForecastScored]) -> OthersWord:
    of_variant = [row for row in rows if row.variant == variant]
    factors = [row.time_s / row.high_s for row in of_variant]
    return OthersWord(
        variant=variant,
        form=of_variant[0].form,
        forecasts=len(factors),
        factor=median(factors),
        low=min(factors),
        high=max(factors),
    )


def _basis(name: str, rows: Iterable[ForecastScored]) -> BasisScored:
    of_basis = [row for row in rows if row.basis == name]
    return BasisScored(
        basis=name,
        forecasts=len(of_basis),
        held=sum(row.held is True for row in of_basis),
        width=median(row.high_s / row.low_s for row in of_basis),
    )


def _session(row: ForecastRow) -> SessionScored:
    return SessionScored(
        made=row.made_at,
        title=row.title,
        runs=row.runs,
        low_s=row.low_s,
        high_s=row.high_s,
        took_s=row.took_s,
        held=None if row.took_s is None else row.low_s <= row.took_s <= row.high_s,
    )
