"""Is this plan in order, and what would it run? Everything that can be told before anything runs."""

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, ClassVar

from unvek.core.errors import PlanError, Problem
from unvek.core.logbook.folder import DATABASE_NAME, logbook_beside
from unvek.core.logbook.store import Logbook
from unvek.core.plan.cells import cells_of, read_sources, weights_bytes
from unvek.core.plan.model import Plan
from unvek.core.plan.read import read_plan
from unvek.core.run.engine import PendingRun, pending_runs
from unvek.core.run.forecast import Share, forecast
from unvek.core.run.record import FINISHED


@dataclass(frozen=True, slots=True, kw_only=True)
class VariantChecked:
    """A variant as the plan has it, and what its weights weigh."""

    name: str
    form: str
    settings: Mapping[str, Any]
    weights_bytes: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class ForecastFound:
    """Seconds, from and to."""

    low: float
    high: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Checkup:
    """What `check` found."""

    kind: ClassVar[str] = "check"
    plan: str
    title: str | None
    ok: bool
    errors: tuple[Problem, ...]
    doubts: tuple[str, ...]
    reference: str | None
    variants: tuple[VariantChecked, ...]
    items: int
    rounds: int
    repeats: int
    warmups: int
    cells: int
    runs: int
    already: int
    forecast_s: ForecastFound | None


def check_plan(path: Path, logbook_path: Path | None = None) -> Checkup:
    """Read a plan and say what is wrong with it and what it would run.

    InputError where the file can't be read at all. A logbook that is there already is asked what is done, and
    how long such runs have taken; none is made.
    """
    try:
        plan = read_plan(path)
    except PlanError as error:
        return _of_wrong_plan(path, error)
    cells = cells_of(plan, read_sources(plan))
    folder = logbook_path or logbook_beside(plan)
    pending, seen_s = pending_runs(plan, cells, set()), {}
    if (folder / DATABASE_NAME).is_file():
        with Logbook.open(folder) as logbook:
            pending = pending_runs(plan, cells, logbook.done(cells))
            seen_s = _seen_s(logbook)
    planned = len(cells) * plan.schedule.runs_of_a_cell
    return Checkup(
        plan=str(path),
        title=plan.title,
        ok=True,
        errors=(),
        doubts=tuple(_doubts(plan)),
        reference=plan.reference,
        variants=tuple(
            VariantChecked(
                name=variant.name,
                form=variant.form,
                settings=variant.settings,
                weights_bytes=weights_bytes(variant),
            )
            for variant in plan.variants
        ),
        items=sum(len(task.seeds) for task in plan.tasks),
        rounds=plan.schedule.rounds,
        repeats=plan.schedule.repeats,
        warmups=plan.schedule.warmups,
        cells=len(cells),
        runs=planned,
        already=planned - len(pending),
        forecast_s=_forecast(plan, pending, seen_s),
    )


def _of_wrong_plan(path: Path, error: PlanError) -> Checkup:
    return Checkup(
        plan=str(path), title=None, ok=False, errors=error.problems, doubts=(), reference=None, variants=(), items=0,
        rounds=0, repeats=0, warmups=0, cells=0, runs=0, already=0, forecast_s=None,
    )  # fmt: skip


def _seen_s(logbook: Logbook) -> dict[str, list[float]]:
    """Seconds of the finished runs of each variant, by name."""
    seen: dict[str, list[float]] = {}
    for row in logbook.runs():
        if row["status"] == FINISHED and row["voided"] is None and row["time_s"] is not None:
            seen.setdefault(row["variant"], []).append(row["time_s"])
    return seen


def _forecast(plan: Plan, pending: list[PendingRun], seen_s: dict[str, list[float]]) -> ForecastFound | None:
    shares = []
    for variant in plan.variants:
        rounds = {run.slot.round for run in pending if run.cell.variant.name == variant.name}
        runs = sum(run.cell.variant.name == variant.name for run in pending)
        shares.append(Share(runs=runs + len(rounds) * plan.schedule.warmups, seen_s=seen_s.get(variant.name, ())))
    found = forecast(shares)
    return ForecastFound(low=found[0], high=found[1]) if found else None


def _doubts(plan: Plan) -> list[str]:
    doubts = []
    if plan.schedule.rounds == 1:
        doubts.append("One round gives no interval: what varies from one start of a process to the next stays unseen.")
    if plan.schedule.warmups == 0:
        doubts.append("Without warm-ups the first, slower run of each process counts as any other.")
    if plan.measures and all(len(task.seeds) == 1 for task in plan.tasks):
        doubts.append("No task has two seeds, so a likeness can't be put on the drift scale.")
    if not plan.measures:
        doubts.append("The plan measures no quality: add a [[measures]] table to trade speed against it.")
    if len(plan.variants) == 1:
        doubts.append("There is one variant only, so nothing is held against anything.")
    return doubts
