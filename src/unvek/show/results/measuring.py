"""What came of working measures out, drawn: how much of each is known, and why the rest is not."""

from collections.abc import Mapping, Sequence
from typing import Any

from rich.console import Console
from rich.text import Text

from unvek.core.plain_text import clean
from unvek.core.session.measuring.found import MeasureWorkedOut, Measuring
from unvek.core.units import counted, few_of
from unvek.show.terminal.console import faint
from unvek.show.terminal.grid import Column, print_grid
from unvek.show.terminal.views import View

RUNS_NAMED = 6


def print_measuring(out: Console, found: Measuring) -> None:
    out.print(Text(clean(found.title), style="bold"))
    if not found.rows:
        out.print("The plan measures nothing of the outputs: add a [[measures]] table.")
        return
    out.print(faint(f"{counted(found.worked_out, 'value')} worked out now, {found.known} known before"))
    out.print()
    print_grid(out, measuring_columns(found))
    for row in found.rows:
        for why, runs in _by_reason(row).items():
            out.print()
            out.print(Text(clean(f"no {row.name} of {counted(len(runs), 'run')}: {why}")))
            out.print(faint(f"   {few_of(runs, RUNS_NAMED)}"))


def _by_reason(row: MeasureWorkedOut) -> Mapping[str, Sequence[int]]:
    found: dict[str, list[int]] = {}
    for one in row.without:
        found.setdefault(one.why, []).append(one.run)
    return found


def measuring_columns(found: Measuring) -> list[Column]:
    names, kinds = Column("measure", numeric=False), Column("kind", numeric=False)
    values, without = Column("runs with a value"), Column("without")
    for row in found.rows:
        names.add(clean(row.name))
        kinds.add(clean(row.kind))
        values.add(str(row.value_count))
        without.add(str(len(row.without)))
    return [names, kinds, values, without]


def measuring_records(found: Measuring) -> list[Mapping[str, Any]]:
    return [
        {"name": row.name, "kind": row.kind, "value_count": row.value_count, "without": len(row.without)}
        for row in found.rows
    ]


MEASURING = View(print_measuring, measuring_columns, measuring_records)
