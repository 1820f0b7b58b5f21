"""Times as they were made: of a session each run after the other, with what disturbed them; of a run each step."""

from collections.abc import Sequence
from datetime import datetime

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from unvek.core.digits import scale_for
from unvek.core.findings.log.run_list import RunLine, RunList
from unvek.core.findings.log.whole_run import RunWhole
from unvek.core.run.events.record import FAILURES, FINISHED
from unvek.show.palette import FORM_COLOURS, INK, PAPER, WARNING
from unvek.show.picture.plots.look import SHAPES, SMALL_SIZE, bare, new_figure, scaled, titled
from unvek.show.picture.plots.names import Named, name_marks

DISTURBED_FROM = 0.1  # cores that others, or the host, took from a run
GAP_S = 300.0  # between two runs, that is shown as a break and not as a stretch of nothing
BREAK_RUNS = 2  # how many runs wide it is
MOST_STEPS = 2000  # of which each is drawn; of more, the middle of as many as come to this


def draw_session(found: RunList) -> Figure:
    """Draw what each run took, in the order in which they were made; ringed are those that were disturbed."""
    figure = new_figure()
    axes = figure.subplots()
    figure.subplots_adjust(left=0.075, right=0.97, top=0.86, bottom=0.1)
    bare(axes)
    rows = [row for row in found.rows if row.time_s is not None]
    places = _places(rows)
    scale = scale_for("s", (row.time_s for row in rows))
    scaled(axes.yaxis, [(row.time_s or 0.0) / scale.divisor for row in rows if row.status == FINISHED])
    by_variant: dict[tuple[str, str], list[int]] = {}
    for at, row in enumerate(rows):
        by_variant.setdefault((row.variant, row.form), []).append(at)
    marks = []
    for (variant, form), mine in by_variant.items():
        _runs(axes, [rows[at] for at in mine], [places[at] for at in mine], form, scale.divisor)
        last = next((at for at in reversed(mine) if rows[at].status == FINISHED), None)
        if last is not None:
            marks.append(Named(variant, places[last], (rows[last].time_s or 0.0) / scale.divisor, form))
    disturbed = [at for at, row in enumerate(rows) if _taken(row) >= DISTURBED_FROM]
    dots = [(place, (row.time_s or 0.0) / scale.divisor) for place, row in zip(places, rows, strict=True)]
    axes.plot(*zip(*(dots[at] for at in disturbed), strict=True) if disturbed else ([], []), "o", markersize=14,
              markerfacecolor="none", markeredgecolor=INK, markeredgewidth=0.9, alpha=0.6, zorder=2)  # fmt: skip
    axes.set_xlabel("runs, in the order in which they were made", color=INK, fontsize=SMALL_SIZE + 1)
    axes.set_ylabel(f"time, {scale.unit}", color=INK, fontsize=SMALL_SIZE + 1)
    name_marks(axes, marks, dots=dots)
    ringed = f"; ringed: {len(disturbed)} from which others took a tenth of a core or more" if disturbed else ""
    titled(figure, f"{len(rows)} runs", f"Hollow ones are warm-ups, crosses failed{ringed}.")
    return figure


def _places(rows: Sequence[RunLine]) -> list[float]:
    """Where each run stands: one after the other, with a break where a long time passed between."""
    places, at, before = [], 0.0, None
    for row in rows:
        started = datetime.fromisoformat(row.started)
        if before is not None and (started - before).total_seconds() > GAP_S:
            at += BREAK_RUNS
        places.append(at)
        at, before = at + 1, started
    return places


def _runs(axes: Axes, rows: Sequence[RunLine], places: Sequence[float], form: str, divisor: float) -> None:
    colour, times = FORM_COLOURS[form], np.array([row.time_s for row in rows], float) / divisor
    at = np.array(places)
    failed = np.array([row.status in FAILURES or row.status != FINISHED for row in rows])
    warm_up = np.array([row.warm_up for row in rows])
    for these, marker, fill in (
        (~failed & ~warm_up, SHAPES[form], colour),
        (~failed & warm_up, SHAPES[form], PAPER),
        (failed, "x", colour),
    ):
        axes.plot(at[these], times[these], marker, color=colour, markerfacecolor=fill, markeredgecolor=colour,
                  markersize=7 if marker != "x" else 8, markeredgewidth=1.2, zorder=3)  # fmt: skip


def _taken(row: RunLine) -> float:
    return (row.others_share or 0.0) + (row.stolen_share or 0.0)


def draw_run(found: RunWhole) -> Figure:
    """Draw one run: what each step took, and the memory that was held meanwhile."""
    figure = new_figure((12.8, 6.4))
    steps = np.array(found.step_times_s, float)
    along = [(float(at), float(held)) for at, held in found.machine.get("memory_along") or ()]
    panels = [part for part, there in ((_steps, len(steps) > 0), (_memory, len(along) > 0)) if there]
    shown = figure.subplots(max(1, len(panels)), 1, squeeze=False)[:, 0]
    figure.subplots_adjust(left=0.075, right=0.97, top=0.84, bottom=0.1, hspace=0.4)
    for axes, draw in zip(shown, panels, strict=False):
        draw(axes, found, steps, along)
    if not panels:
        bare(shown[0])
        shown[0].text(
            0.5, 0.5, "no steps and no memory are known of it", ha="center", color=INK, transform=shown[0].transAxes
        )
    what = ", ".join((found.variant, found.task, f"seed {found.seed}", found.status))
    titled(
        figure,
        f"Run {found.run}: {what}",
        "What each step took, and the memory of the model's processes along the run.",
    )
    return figure


def _steps(axes: Axes, found: RunWhole, steps: np.ndarray, along: Sequence[tuple[float, float]]) -> None:
    bare(axes)
    first = 1.0
    if len(steps) > MOST_STEPS:
        times = int(np.ceil(len(steps) / MOST_STEPS))
        steps = np.array([np.nanmedian(steps[at : at + times]) for at in range(0, len(steps), times)])
        first = float(times)
    scale = scale_for("s", steps.tolist())
    at = first * (1 + np.arange(len(steps)))
    axes.bar(at, steps / scale.divisor, width=0.7 * first, color=FORM_COLOURS[found.form], zorder=3)
    axes.set_xlim(at[0] - first, at[-1] + first)
    axes.set_xlabel("step", color=INK, fontsize=SMALL_SIZE)
    axes.set_ylabel(f"a step, {scale.unit}", color=INK, fontsize=SMALL_SIZE)


def _memory(axes: Axes, found: RunWhole, steps: np.ndarray, along: Sequence[tuple[float, float]]) -> None:
    bare(axes)
    times, held = zip(*along, strict=True)
    scale, over = scale_for("B", held), scale_for("s", times)
    axes.plot([at / over.divisor for at in times], [size / scale.divisor for size in held],
              color=FORM_COLOURS[found.form], marker=".", linewidth=1.5, zorder=3)  # fmt: skip
    limit = found.provenance.get("limits", {}).get("memory_bytes")
    if limit:
        axes.axhline(limit / scale.divisor, color=WARNING, linewidth=1)
        axes.annotate("limit", (0.99, limit / scale.divisor), xycoords=("axes fraction", "data"), ha="right",
                      va="bottom", color=WARNING, fontsize=SMALL_SIZE - 1)  # fmt: skip
    axes.set_ylim(0, 1.1 * max(*held, limit or 0.0) / scale.divisor)
    axes.set_xlabel(f"since the run began, {over.unit}", color=INK, fontsize=SMALL_SIZE)
    axes.set_ylabel(f"memory, {scale.unit}", color=INK, fontsize=SMALL_SIZE)
