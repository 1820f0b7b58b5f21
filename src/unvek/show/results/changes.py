"""Before and after, drawn: what got worse first, then the figures of both sides."""

from collections.abc import Iterator, Mapping
from typing import Any

from rich.console import Console
from rich.text import Text

from unvek.core.digits import column_scale, ratio_column_decimals
from unvek.core.findings.changes.found import ChangedRow, ChangeFound, Changes
from unvek.core.findings.comparison.digits import AS_SPEED, ratio_as_said
from unvek.core.measures.catalogue import TIME
from unvek.core.plain_text import clean
from unvek.core.units import counted, speed_words
from unvek.show.palette import FORM_COLOURS, FORM_MARKS
from unvek.show.terminal.console import faint
from unvek.show.terminal.figures import UNKNOWN, figure, ratio_figures, unit_suffix, variant_text, warning_text
from unvek.show.terminal.grid import Column, StripColumn, print_grid, told_of
from unvek.show.terminal.heads import head_of
from unvek.show.terminal.measure_strips import MeasureStrip, measure_strips
from unvek.show.terminal.views import View

NOTHING_MOVED = ("same", "unclear", None)
FURTHEST = 2.0  # times as much or as little, that strips reach to


def print_changes(out: Console, found: Changes) -> None:
    out.print(Text(clean(found.title), style="bold"))
    out.print(faint(clean(f"before: {found.before} · now: {found.after}")))
    out.print()
    worse = [row for row in found.rows if row.fails_more or any(one.is_worse for one in row.measures.values())]
    if worse:
        out.print(
            warning_text(f"{counted(len(worse), 'variant')} of {len(found.rows)} got worse by more than a margin")
        )
    else:
        out.print("Nothing is shown to have got worse by more than its margin.")
    for row in found.rows:
        for words in _sentences(row):
            mark = Text.assemble((f"{FORM_MARKS[row.form]} ", FORM_COLOURS[row.form]), clean(words))
            out.print(mark)
    out.print()
    print_grid(out, change_columns(found), _strips(found))
    out.print()
    for note in found.notes:
        out.print(faint(clean(note)))


def _sentences(row: ChangedRow) -> Iterator[str]:
    """What is said of a variant: what moved, more failures, and what of it is made otherwise now."""
    for name, one in row.measures.items():
        if one.ratio is not None and one.answer not in NOTHING_MOVED:
            yield f"{_moved(row.variant, name, one)}{' (worse than its margin allows)' if one.is_worse else ''}."
    if row.fails_more:
        (before, of_before), (after, of_after) = row.failures_before, row.failures_after
        yield f"{row.variant} fails more often: {after} of {of_after} runs, were {before} of {of_before}."
    if row.made_otherwise:
        yield f"{row.variant} is made otherwise now: {'; '.join(row.made_otherwise)}."


def _moved(variant: str, name: str, one: ChangeFound) -> str:
    assert one.ratio is not None, "an answer has a ratio"
    if name == TIME:
        return f"{variant} is {speed_words(one.ratio.value, 'before')}"
    scale = column_scale(one.unit, [(one.before, None, None), (one.after, None, None)])
    values = [UNKNOWN if value is None else scale.with_unit(value) for value in (one.before, one.after)]
    return f"{head_of(name)} of {variant} is {values[1]}, was {values[0]}"


def change_columns(found: Changes) -> list[Column]:
    names = Column("variant", numeric=False, keep=10)
    for row in found.rows:
        names.add(variant_text(row.variant, row.form))
    columns = [names]
    for name in found.rows[0].measures:
        moved = any(row.measures[name].answer not in NOTHING_MOVED for row in found.rows)
        if name in (TIME, found.quality) or moved:  # what stayed as it was is in the other forms of the result
            columns += _of_measure(found, name)
    return told_of(columns)


def _of_measure(found: Changes, name: str) -> Iterator[Column]:
    """Before, now, the ratio with its interval, and what that answers."""
    measures = [row.measures[name] for row in found.rows]
    scale = column_scale(measures[0].unit, [(v, None, None) for one in measures for v in (one.before, one.after)])
    keep = 9 if name == TIME else 6
    said = [ratio_as_said(one.ratio, name) if one.ratio is not None else None for one in measures]
    decimals = ratio_column_decimals([one for one in said if one is not None])
    before = Column(f"{head_of(name)} before", scale.unit, keep=keep)
    now = Column("now", scale.unit, keep=keep, whole_name=f"{head_of(name)} now")
    ratio = Column("as fast" if name in AS_SPEED else "times", keep=keep - 1, whole_name=f"{head_of(name)} ratio")
    interval = Column("95 %", keep=keep - 2, whole_name=f"{head_of(name)} ratio (95 %)")
    answer = Column("answer", numeric=False, keep=keep - 1, whole_name=f"{head_of(name)} answer")
    for one, ends in zip(measures, said, strict=True):
        before.add(figure(one.before, None, None, scale))
        now.add(figure(one.after, None, None, scale))
        value, between = (UNKNOWN, "") if ends is None else ratio_figures(*ends, decimals)
        ratio.add(value)
        interval.add(between)
        answer.add(warning_text(one.answer) if one.is_worse and one.answer else one.answer or UNKNOWN)
    yield from (before, now, ratio, interval, answer)


def _strips(found: Changes) -> StripColumn:
    """The times' ratios, each with its interval, on one axis: 1 is as before."""
    strips, ends = [], [1 / 1.02, 1.02]
    for row in found.rows:
        one = row.measures[next(iter(row.measures))]
        ratio = one.ratio
        ends += (
            [end for end in (ratio.low_together, ratio.value, ratio.high_together) if end is not None] if ratio else []
        )
        strips.append(MeasureStrip(
            form=row.form, middle=ratio.value if ratio else None, low=ratio.low_together if ratio else None,
            high=ratio.high_together if ratio else None, reference=1.0,
        ))  # fmt: skip
    span = (max(1 / FURTHEST, min(ends) - 0.02), min(FURTHEST, max(ends) + 0.02))
    return measure_strips(f"{head_of(next(iter(found.rows[0].measures)))}, now over before", "", strips, span=span)


def change_records(found: Changes) -> list[Mapping[str, Any]]:
    records: list[Mapping[str, Any]] = []
    for row in found.rows:
        record: dict[str, Any] = {"variant": row.variant, "form": row.form}
        for name, one in row.measures.items():
            suffix = unit_suffix(one.unit)
            record |= {f"{name}.before{suffix}": one.before, f"{name}.after{suffix}": one.after}
            record |= {
                f"{name}.ratio": one.ratio and one.ratio.value, f"{name}.ratio.low": one.ratio and one.ratio.low,
                f"{name}.ratio.high": one.ratio and one.ratio.high, f"{name}.answer": one.answer,
                f"{name}.is_worse": one.is_worse,
            }  # fmt: skip
        record |= {"failed_before": row.failures_before[0], "failed_after": row.failures_after[0],
                   "made_otherwise": "; ".join(row.made_otherwise)}  # fmt: skip
        records.append(record)
    return records


CHANGES = View(print_changes, change_columns, change_records)
