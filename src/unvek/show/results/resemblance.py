"""Who resembles whom, drawn: a sentence a variant, then every two of them."""

from collections.abc import Mapping
from typing import Any

from rich.console import Console
from rich.text import Text

from unvek.core.digits import Scale, column_scale
from unvek.core.findings.resemblance import NearestFound, Resemblance
from unvek.core.plain_text import clean
from unvek.core.units import counted
from unvek.show.palette import FORM_COLOURS, FORM_MARKS
from unvek.show.terminal.console import faint
from unvek.show.terminal.figures import UNKNOWN, unit_suffix, variant_text
from unvek.show.terminal.grid import Column, print_grid
from unvek.show.terminal.views import View


def print_resemblance(out: Console, found: Resemblance) -> None:
    out.print(Text(clean(found.title), style="bold"))
    items = max((row.items for row in found.rows), default=0)
    over = f"the mean over {counted(items, 'item')}, with its 95 % interval over tasks"
    out.print(faint(f"{clean(found.measure)} between every two variants · {over}"))
    out.print()
    for one in found.variants:
        out.print(_sentence(found, one))
    out.print()
    print_grid(out, resemblance_columns(found))
    for note in found.notes:
        out.print(faint(clean(note)))


def _sentence(found: Resemblance, one: NearestFound) -> Text:
    mark = Text(FORM_MARKS[one.form], FORM_COLOURS[one.form])
    row = found.pair(one.variant, one.nearest) if one.nearest is not None else None
    if one.nearest is None or row is None:
        return Text.assemble(mark, f" {clean(one.variant)} is held against no other.")
    scale = _scale(found)
    ends = "" if row.low is None or row.high is None else f", {scale.words(row.low)} to {scale.words(row.high)}"
    value = f"{scale.with_unit(row.value or 0.0)}{ends}"
    return Text.assemble(mark, f" {clean(one.variant)} resembles {clean(one.nearest)} most ({value}).")


def _scale(found: Resemblance) -> Scale:
    return column_scale(found.unit, [(row.value, row.low, row.high) for row in found.rows])


def resemblance_columns(found: Resemblance) -> list[Column]:
    names = Column("variant", numeric=False, keep=9)
    scale = _scale(found)
    columns = [Column(clean(one.variant), scale.unit, keep=9) for one in found.variants]
    for one in found.variants:
        names.add(variant_text(one.variant, one.form))
        for column, other in zip(columns, found.variants, strict=True):
            value = found.value(one.variant, other.variant)
            is_nearest = other.variant == one.nearest
            words = "" if one is other else UNKNOWN if value is None else scale.words(value)
            column.add(Text(words, style="bold" if is_nearest else ""))
    return [names, *columns]


def resemblance_records(found: Resemblance) -> list[Mapping[str, Any]]:
    unit = unit_suffix(found.unit)
    return [
        {
            "variant": row.variant, "against": row.against, f"{found.measure}{unit}": row.value,
            f"low{unit}": row.low, f"high{unit}": row.high, "items": row.items,
        }
        for row in found.rows
    ]  # fmt: skip


RESEMBLANCE = View(print_resemblance, resemblance_columns, resemblance_records)
