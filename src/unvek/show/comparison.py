"""A comparison, drawn: the strips first, then the figures."""

from collections.abc import Mapping
from typing import Any

from rich.console import Console
from rich.text import Text

from unvek.core.findings.comparison import UNCLEAR, Comparison, ComparisonRow, MeasureFound
from unvek.core.rig.facts import has_simulated
from unvek.core.units import counted, speed_words
from unvek.show.figures import UNKNOWN, Scale, figure, scale_for, speed_figures, unit_suffix, variant_text, warning_text
from unvek.show.grid import Column, StripColumn, print_grid
from unvek.show.terminal import clean, faint
from unvek.show.time_strips import TimeStrip, time_strips
from unvek.show.views import View

TIME = "time.total"
HEADS = {
    "time.total": "time",
    "step.time": "a step",
    "time.load": "load",
    "memory.peak": "memory",
    "memory.device": "on device",
}
KEPT = {"time.total": 9, "step.time": 6, "time.load": 3, "memory.peak": 7, "memory.device": 7, "energy": 4}


def print_comparison(out: Console, found: Comparison) -> None:
    out.print(Text(clean(found.title), style="bold"))
    out.print(faint(_circumstances(found)))
    out.print()
    lead = _lead(found)
    if lead:
        out.print(Text(lead))
        out.print()
    print_grid(out, comparison_columns(found), _strips(found))
    notes = [*_unclear(found), *found.notes]
    if notes:
        out.print()
    for note in notes:
        out.print(faint(clean(note)))


def comparison_columns(found: Comparison) -> list[Column]:
    columns = [_names(found), *_measure_columns(found, TIME), _answers(found), _steps(found)]
    for name in ("step.time", "memory.peak", "memory.device", "time.load"):
        columns += _measure_columns(found, name)
    for name in found.rows[0].measures:
        if name not in HEADS:
            columns += _measure_columns(found, name)
    if any(row.measures[found.quality].drift is not None for row in found.rows if found.quality):
        columns.append(_drift(found))
    columns += [_first_runs(found), _weights(found), _failures(found)]
    return [column for column in columns if any(cell.plain not in (UNKNOWN, "") for cell in column.cells)]


def _first_runs(found: Comparison) -> Column:
    """The first run of a process, beside the later ones: cold against warm."""
    scale = scale_for("s", (row.first_run_s for row in found.rows))
    column = Column("first run", scale.unit, keep=2)
    for row in found.rows:
        column.add(figure(row.first_run_s, None, None, scale))
    return column


def _names(found: Comparison) -> Column:
    column = Column("variant", numeric=False, keep=10)
    for row in found.rows:
        column.add(variant_text(row.variant, row.form))
    return column


def _measure_columns(found: Comparison, name: str) -> list[Column]:
    measures = [row.measures[name] for row in found.rows]
    scale = scale_for(measures[0].unit, (m.median for m in measures))
    column = Column(HEADS.get(name, clean(name)), scale.unit, keep=KEPT.get(name, 8 if name == found.quality else 2))
    for m in measures:
        column.add(figure(m.median, m.low, m.high, scale))
    if name != TIME:
        return [column]
    speed = Column("as fast as", clean(found.reference), keep=8)
    interval = Column("95 %", "", keep=4)
    for row in found.rows:
        value, ends = _speed(row.measures[TIME])
        speed.add(faint("reference") if row.variant == found.reference else value)
        interval.add(ends)
    return [column, speed, interval]


def _speed(measure: MeasureFound) -> tuple[str, str]:
    if measure.ratio is None:
        return UNKNOWN, ""
    return speed_figures(measure.ratio.value, measure.ratio.low, measure.ratio.high)


def _answers(found: Comparison) -> Column:
    column = Column("answer", numeric=False, keep=8)
    for row in found.rows:
        column.add(row.measures[TIME].answer or ("" if row.variant == found.reference else UNKNOWN))
    return column


def _steps(found: Comparison) -> Column:
    column = Column("steps", keep=6)
    for row in found.rows:
        column.add(UNKNOWN if row.steps is None else f"{row.steps:g}")
    return column


def _drift(found: Comparison) -> Column:
    column = Column("drift", keep=5)
    for row in found.rows:
        drift = row.measures[found.quality].drift if found.quality else None
        column.add(UNKNOWN if drift is None else f"{abs(drift) if abs(drift) < 0.005 else drift:.2f}")
    return column


def _weights(found: Comparison) -> Column:
    scale = scale_for("B", (row.weights_bytes for row in found.rows))
    column = Column("weights", scale.unit, keep=2)
    for row in found.rows:
        column.add(figure(row.weights_bytes, None, None, scale))
    return column


def _failures(found: Comparison) -> Column:
    any_failed = any(row.failures.count for row in found.rows)
    column = Column("failed", "runs", numeric=False, keep=9 if any_failed else 1)
    for row in found.rows:
        words = f"{row.failures.count} of {row.runs}"
        column.add(warning_text(words) if row.failures.count else words)
    return column


def _strips(found: Comparison) -> StripColumn:
    times = [(row, row.measures[TIME]) for row in found.rows]
    strips = [
        TimeStrip(form=row.form, middle_s=time.median, low_s=time.low, high_s=time.high, dots_s=time.dots)
        for row, time in times
    ]
    return time_strips(strips, next(time.median for row, time in times if row.variant == found.reference))


def _circumstances(found: Comparison) -> str:
    rounds = max(row.rounds for row in found.rows)
    runs = sum(row.runs for row in found.rows)
    rig = found.rig.get("processor") or "unknown processor"
    made = f"{counted(rounds, 'round')}, {counted(runs, 'run')}"
    simulated = ", simulated accelerator" if has_simulated(found.rig) else ""
    machine = f"{rig}, {found.rig.get('cores')} cores{simulated}"
    return clean(f"against {found.reference} · {made} · {machine}")


def _lead(found: Comparison) -> str | None:
    """One sentence on the fastest variant, if any is measurably faster."""
    times = [(row, row.measures[TIME]) for row in found.rows]
    faster = [(time.ratio.value, row) for row, time in times if time.ratio is not None and time.answer == "faster"]
    if not faster:
        return None
    ratio, best = min(faster, key=lambda pair: pair[0])
    return f"{clean(best.variant)} is fastest: {speed_words(ratio)}{_quality_words(best, found.quality)}."


def _quality_words(row: ComparisonRow, quality: str | None) -> str:
    measure = row.measures.get(quality) if quality else None
    if measure is None or measure.median is None:
        return ""
    return f", {clean(quality)} {figure(measure.median, measure.low, measure.high, Scale('', 1))}"


def _unclear(found: Comparison) -> list[str]:
    """How many more rounds would settle what is unclear, variant by variant."""
    times = [(row.variant, row.measures[TIME]) for row in found.rows]
    open_ = [(name, time.more_rounds) for name, time in times if time.answer == UNCLEAR]
    needed = [f"{clean(name)} ({_rounds_words(more)})" for name, more in open_]
    return [f"Unclear so far, and about how many more rounds would settle it: {', '.join(needed)}."] if needed else []


def _rounds_words(more: int | None) -> str:
    return "very many" if more is None else str(more)


def comparison_records(found: Comparison) -> list[Mapping[str, Any]]:
    records: list[Mapping[str, Any]] = []
    for row in found.rows:
        record: dict[str, Any] = {
            "variant": row.variant,
            "form": row.form,
            "rounds": row.rounds,
            "runs": row.runs,
            "finished": row.finished,
            "steps": row.steps,
            "weights_bytes": row.weights_bytes,
        }
        for name, m in row.measures.items():
            suffix = unit_suffix(m.unit)
            record |= {f"{name}{suffix}": m.median, f"{name}.low{suffix}": m.low, f"{name}.high{suffix}": m.high}
            record |= {
                f"{name}.ratio": m.ratio and m.ratio.value,
                f"{name}.ratio.low": m.ratio and m.ratio.low,
                f"{name}.ratio.high": m.ratio and m.ratio.high,
                f"{name}.answer": m.answer,
            }
        records.append(record | {"failed": row.failures.count, "failed_share": row.failures.share})
    return records


COMPARISON = View(print_comparison, comparison_columns, comparison_records)
