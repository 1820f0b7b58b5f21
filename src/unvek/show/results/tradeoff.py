"""A trade-off, drawn: who is on the frontier, who beats whom, and the pick."""

from collections.abc import Mapping
from typing import Any

from rich.console import Console
from rich.text import Text

from unvek.core.digits import column_scale
from unvek.core.findings.tradeoff.found import Tradeoff, TradeoffRow
from unvek.core.measures.catalogue import TIME
from unvek.core.plain_text import clean
from unvek.core.units import drift_words, probability_words
from unvek.show.palette import FORM_COLOURS
from unvek.show.terminal.console import faint
from unvek.show.terminal.figures import UNKNOWN, figure, unit_suffix, variant_text, warning_text
from unvek.show.terminal.grid import Column, StripColumn, print_grid, told_of
from unvek.show.terminal.heads import KEPT, head_of
from unvek.show.terminal.measure_strips import MeasureStrip, time_strips
from unvek.show.terminal.views import View


def print_tradeoff(out: Console, found: Tradeoff) -> None:
    form = next((row.form for row in found.rows if row.variant == found.pick), "full")
    if found.pick:
        out.print(Text.assemble("Pick ", (clean(found.pick), f"bold {FORM_COLOURS[form]}")))
    else:
        out.print(warning_text("No pick"))
    out.print(Text(clean(found.because)))
    for change in found.changes:
        out.print(Text(clean(change.text)))
    out.print()
    print_grid(out, tradeoff_columns(found), _strips(found))
    names = ", ".join(head_of(count.measure) for count in found.counts)
    margins = ", ".join(dict.fromkeys(count.margin for count in found.counts))
    out.print()
    words = (f"The frontier: beaten by none, on {names}; within the margin ({margins}) two are even. How probable that "
             "is: from draws of what launches and tasks may truly come to.")  # fmt: skip
    out.print(faint(words))
    for note in found.notes:
        out.print(faint(clean(note)))


def tradeoff_columns(found: Tradeoff) -> list[Column]:
    columns = [Column("variant", numeric=False, keep=10)]
    for row in found.rows:
        columns[0].add(variant_text(row.variant, row.form))
    for count in found.counts:
        values = [row.values[count.measure] for row in found.rows]
        scale = column_scale(count.unit, ((value.typical, value.low, value.high) for value in values))
        column = Column(head_of(count.measure), scale.unit, keep=KEPT.get(count.measure, 9))
        for value in values:
            column.add(figure(value.typical, value.low, value.high, scale))
        columns.append(column)
    if any(row.drift is not None for row in found.rows):
        drift = Column("drift", keep=6)
        for row in found.rows:
            drift.add(UNKNOWN if row.drift is None else drift_words(row.drift))
        columns.append(drift)
    frontier = Column("frontier", numeric=False, keep=8)
    probability = Column("probability", keep=7)
    beaten = Column("beaten by", numeric=False, keep=6)
    for row in found.rows:
        frontier.add(_place_words(row))
        probability.add(UNKNOWN if row.probability is None else probability_words(row.probability))
        beaten.add(clean(", ".join(row.beaten_by)))
    columns += [frontier, probability, beaten]
    for head, of in (
        ("needs not met", [row.unmet for row in found.rows]),
        ("not shown to be met", [row.not_shown for row in found.rows]),
    ):
        if any(of):
            column = Column(head, numeric=False, keep=8)
            for needs in of:
                column.add(warning_text(clean("; ".join(needs))))
            columns.append(column)
    return told_of(columns)


def _place_words(row: TradeoffRow) -> Text:
    if row.not_judged:
        return warning_text("can't tell")
    return Text("on it", style="bold") if row.on_frontier else faint("beaten")


def _strips(found: Tradeoff) -> StripColumn:
    times = [(row, row.values[TIME]) for row in found.rows]
    reference = next((time.typical for row, time in times if row.variant == found.reference), None)
    return time_strips([
        MeasureStrip(form=row.form, middle=time.typical, low=time.low, high=time.high, reference=reference)
        for row, time in times
    ])  # fmt: skip


def tradeoff_records(found: Tradeoff) -> list[Mapping[str, Any]]:
    return [
        {
            "variant": row.variant,
            "form": row.form,
            **{count.measure + unit_suffix(count.unit): row.values[count.measure].typical for count in found.counts},
            "drift": row.drift,
            "on_frontier": row.on_frontier,
            "probability": row.probability,
            "beaten_by": " ".join(row.beaten_by),
            "even_with": " ".join(row.even_with),
            "merit": row.merit,
            "picked": row.variant == found.pick,
        }
        for row in found.rows
    ]


TRADEOFF = View(print_tradeoff, tradeoff_columns, tradeoff_records)
