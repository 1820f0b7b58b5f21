"""A comparison, drawn: a sentence a variant, the strips, then the figures, then what is doubtful."""

import textwrap
from collections.abc import Mapping
from functools import partial
from typing import Any

from rich.console import Console
from rich.text import Text

from unvek.core.findings.comparison.comparison import FOR_LENGTHS
from unvek.core.findings.comparison.found import Comparison, ComparisonRow, MeasureFound
from unvek.core.measures.catalogue import TIME
from unvek.core.rig.facts import has_simulated
from unvek.core.stats.student import Estimate
from unvek.core.units import counted, drift_words
from unvek.show.palette import FORM_COLOURS, FORM_MARKS
from unvek.show.terminal.console import clean, faint
from unvek.show.terminal.figures import (
    UNKNOWN,
    figure,
    marks,
    ratio_figures,
    scale_for,
    speed_figures,
    unit_suffix,
    variant_text,
    warning_text,
)  # fmt: skip
from unvek.show.terminal.grid import Column, StripColumn, print_grid
from unvek.show.terminal.heads import HEADS, KEPT, STREAMED
from unvek.show.terminal.measure_strips import MeasureStrip, measure_strips
from unvek.show.terminal.views import View


def print_comparison(out: Console, found: Comparison, cold: bool = False) -> None:
    out.print(Text(clean(found.title), style="bold"))
    out.print(faint(_circumstances(found)))
    out.print()
    for row in found.rows:
        _print_sentence(out, row)
    out.print()
    print_grid(out, comparison_columns(found, cold), _strips(found))
    if found.doubts or found.notes:
        out.print()
    for doubt in found.doubts:
        out.print(Text.assemble(marks([doubt.number]), f" {clean(doubt.text)}"))
    if found.doubts:
        out.print(faint("'unvek audit' says why each matters and how to mend it."))
    for note in found.notes:
        out.print(faint(clean(note)))


def _print_sentence(out: Console, row: ComparisonRow) -> None:
    """Print a row's sentence behind its form's mark, its further lines under the first."""
    lines = textwrap.wrap(clean(row.sentence), out.width - 2)
    out.print(Text.assemble((f"{FORM_MARKS[row.form]} ", FORM_COLOURS[row.form]), lines[0]))
    for line in lines[1:]:
        out.print(Text(f"  {line}"))


def comparison_columns(found: Comparison, cold: bool = False) -> list[Column]:
    """Return the columns: of the measures asked for, or the usual ones; with those of cold starts where wanted."""
    measures = found.rows[0].measures
    if found.asked:
        columns = [_names(found)]
        for name in found.asked:
            columns += [*_measure_columns(found, name), *_ratio_columns(found, name), _answers(found, name)]
        return [*_told_of(columns), _failures(found)]
    columns = [_names(found), *_measure_columns(found, TIME), *_ratio_columns(found, TIME), _answers(found, TIME)]
    if cold:
        columns += [*_measure_columns(found, "time.load"), *_ratio_columns(found, "time.load"), _first_runs(found)]
    columns.append(_steps(found))
    for name in (*FOR_LENGTHS, "step.time", *STREAMED, "memory.peak", "memory.device"):
        if name in measures:
            columns += _measure_columns(found, name)
    for name in measures:
        if name not in HEADS:
            columns += _measure_columns(found, name)
    if any(row.measures[found.quality].drift is not None for row in found.rows if found.quality):
        columns.append(_drift(found))
    return [*_told_of([*columns, *_split_columns(found), _weights(found)]), _failures(found)]


def _told_of(columns: list[Column]) -> list[Column]:
    """Return the columns in which anything stands."""
    return [column for column in columns if any(cell.plain not in (UNKNOWN, "") for cell in column.cells)]


def _first_runs(found: Comparison) -> Column:
    """The first run of a process, beside the later ones: cold against warm."""
    scale = scale_for("s", (row.first_run_s for row in found.rows))
    column = Column("first run", scale.unit, keep=9)
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
    scale = scale_for(measures[0].unit, (m.typical for m in measures))
    keep = 9 if name in found.asked else KEPT.get(name, 8 if name == found.quality else 4)
    column = Column(HEADS.get(name, clean(name)), scale.unit, keep=keep)
    for m in measures:
        column.add(figure(m.typical, m.low, m.high, scale))
    return [column]


def _ratio_columns(found: Comparison, name: str) -> list[Column]:
    """The ratio to the reference with its interval; of a time how many times as fast."""
    is_time = name == TIME or name == "time.load"
    ratio = Column("as fast as" if is_time else "times that of", clean(found.reference), keep=8)
    interval = Column("95 %", "", keep=5)
    for row in found.rows:
        value, ends = _ratio_words(row.measures[name], is_time)
        ratio.add(faint("reference") if row.variant == found.reference else value)
        interval.add(ends)
    return [ratio, interval]


def _ratio_words(measure: MeasureFound, is_time: bool) -> tuple[str, str]:
    if measure.ratio is None:
        return UNKNOWN, ""
    words = speed_figures if is_time else ratio_figures
    return words(measure.ratio.value, measure.ratio.low_together, measure.ratio.high_together)


def _answers(found: Comparison, name: str) -> Column:
    column = Column("answer", numeric=False, keep=8)
    for row in found.rows:
        word = row.measures[name].answer or ("" if row.variant == found.reference else UNKNOWN)
        column.add(Text.assemble(word, " " if word and row.doubts else "", marks(row.doubts)))
    return column


def _split_columns(found: Comparison) -> list[Column]:
    """Where the time saved comes from: seconds less than the reference, in three parts."""
    parts: list[tuple[str, list[Estimate | None]]] = [
        ("by steps", [row.split.fewer_steps_s if row.split else None for row in found.rows]),
        ("by a step", [row.split.faster_steps_s if row.split else None for row in found.rows]),
        ("by the rest", [row.split.fixed_s if row.split else None for row in found.rows]),
    ]
    scale = scale_for("s", (part.value for _, column in parts for part in column if part is not None))
    columns = []
    for head, values in parts:
        column = Column(head, f"{scale.unit} less", keep=3)
        for part in values:
            column.add(UNKNOWN if part is None else figure(part.value, part.low, part.high, scale))
        columns.append(column)
    return columns


def _steps(found: Comparison) -> Column:
    column = Column("steps", keep=6)
    for row in found.rows:
        column.add(UNKNOWN if row.steps is None else f"{row.steps:g}")
    return column


def _drift(found: Comparison) -> Column:
    column = Column("drift", keep=5)
    for row in found.rows:
        drift = row.measures[found.quality].drift if found.quality else None
        column.add(UNKNOWN if drift is None else drift_words(drift))
    return column


def _weights(found: Comparison) -> Column:
    scale = scale_for("B", (row.weights_bytes for row in found.rows))
    column = Column("weights", scale.unit, keep=2)
    for row in found.rows:
        column.add(figure(row.weights_bytes, None, None, scale))
    return column


def _failures(found: Comparison) -> Column:
    any_failed = any(row.failures.count for row in found.rows)
    column = Column("failed", "runs, 95 %", numeric=False, keep=9 if any_failed else 1)
    for row in found.rows:
        failures = row.failures
        words = f"{failures.count} of {row.runs}"
        if not failures.count:
            column.add(f"{words}, to {100 * failures.high:.0f} %")
        else:
            column.add(warning_text(f"{words}, {100 * failures.low:.0f} to {100 * failures.high:.0f} %"))
    return column


def _strips(found: Comparison) -> StripColumn:
    name = found.asked[0] if found.asked else TIME
    measures = [(row, row.measures[name]) for row in found.rows]
    strips = [MeasureStrip(form=row.form, middle=m.typical, low=m.low, high=m.high, dots=m.dots) for row, m in measures]
    reference = next(m.typical for row, m in measures if row.variant == found.reference)
    return measure_strips(HEADS.get(name, clean(name)), measures[0][1].unit, strips, reference)


def _circumstances(found: Comparison) -> str:
    rounds = max(row.rounds for row in found.rows)
    runs = sum(row.runs for row in found.rows)
    processor, cores = found.rig.get("processor") or "unknown processor", found.rig.get("cores")
    made = f"{counted(rounds, 'round')}, {counted(runs, 'run')}"
    simulated = ", simulated accelerator" if has_simulated(found.rig) else ""
    machine = f"{processor}, {cores} cores{simulated}" if cores is not None else "a machine that is not known"
    return clean(f"against {found.reference} · {made} · {machine}")


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
            "first_run_s": row.first_run_s,
        }
        for name, m in row.measures.items():
            suffix = unit_suffix(m.unit)
            record |= {f"{name}{suffix}": m.typical, f"{name}.low{suffix}": m.low, f"{name}.high{suffix}": m.high}
            record |= {
                f"{name}.ratio": m.ratio and m.ratio.value,
                f"{name}.ratio.low": m.ratio and m.ratio.low,
                f"{name}.ratio.high": m.ratio and m.ratio.high,
                f"{name}.ratio.low_together": m.ratio and m.ratio.low_together,
                f"{name}.ratio.high_together": m.ratio and m.ratio.high_together,
                f"{name}.answer": m.answer,
            }
        if row.split is not None:
            record |= {
                "fewer_steps_s": row.split.fewer_steps_s.value,
                "faster_steps_s": row.split.faster_steps_s.value,
                "fixed_s": row.split.fixed_s.value,
            }
        record["doubts"] = ", ".join(doubt.code for doubt in found.doubts if doubt.number in row.doubts)
        records.append(record | {"failed": row.failures.count, "failed_share": row.failures.share})
    return records


COMPARISON = View(print_comparison, comparison_columns, comparison_records)
# With the columns of cold starts: the load of a process and its first run.
WITH_COLD = View(partial(print_comparison, cold=True), partial(comparison_columns, cold=True), comparison_records)
