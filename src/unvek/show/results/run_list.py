"""The list of runs, drawn."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any

from rich.console import Console
from rich.text import Text

from unvek.core.digits import scale_for
from unvek.core.findings.log.run_list import RunLine, RunLines, RunList
from unvek.core.plain_text import clean
from unvek.core.run.events.record import FINISHED, MEASURED
from unvek.core.units import counted
from unvek.show.terminal.console import faint
from unvek.show.terminal.figures import UNKNOWN, figure, settings_words, variant_text, warning_text
from unvek.show.terminal.grid import Column, StripColumn, print_grid
from unvek.show.terminal.measure_strips import MeasureStrip, time_strips
from unvek.show.terminal.views import RecordBlocks, View


def print_runs(out: Console, found: RunList) -> None:
    if not found.rows:
        nothing = "None of the {} fits.".format(counted(found.left_out, "run"))
        out.print(nothing if found.left_out else "There are no runs here yet; make some with 'unvek run PLAN'.")
        return
    print_grid(out, run_columns(found), _strips(found))
    if found.earlier:
        out.print()
        out.print(faint(f"The newest {len(found.rows)}; {found.earlier} earlier ones are not shown: --all shows them."))
    if found.left_out:
        out.print()
        out.print(
            faint(f"{counted(len(found.rows) + found.earlier, 'run')}; {found.left_out} others do not fit the filter.")
        )
    if out.is_terminal:
        newest = found.rows[-1].run
        out.print()
        out.print(faint(f"'unvek show {newest}' shows the newest whole; 'unvek compare' holds the variants together."))


def run_columns(found: RunList) -> list[Column]:
    rows = found.rows
    time, step = (scale_for("s", (getattr(row, name) for row in rows)) for name in ("time_s", "step_time_s"))
    columns = {
        "run": Column("run", keep=10),
        "variant": Column("variant", numeric=False, keep=10),
        "task": Column("task", numeric=False, keep=7),
        "seed": Column("seed", keep=6),
        "varied": Column("varied", numeric=False, keep=8),
        "round": Column("round", numeric=False, keep=5),
        "status": Column("status", numeric=False, keep=9),
        "time": Column("time", time.unit, keep=9),
        "steps": Column("steps", keep=4),
        "step": Column("a step", step.unit, keep=4),
        "tokens": Column("tokens", keep=4),
        "started": Column("started, UTC", numeric=False, keep=1),
    }
    for row in rows:
        columns["run"].add(str(row.run))
        columns["variant"].add(variant_text(row.variant, row.form))
        columns["task"].add(clean(row.task))
        columns["seed"].add(str(row.seed))
        columns["varied"].add(settings_words(row.varied))
        columns["round"].add(_round(row))
        columns["status"].add(_status(row))
        columns["time"].add(figure(row.time_s, None, None, time))
        columns["steps"].add(str(row.steps) if row.steps else UNKNOWN)
        columns["step"].add(figure(row.step_time_s, None, None, step))
        columns["tokens"].add(str(row.tokens) if row.tokens else UNKNOWN)
        columns["started"].add(faint(clean(row.started.partition(".")[0].replace("T", " "))))
    return [column for column in columns.values() if any(cell.plain not in (UNKNOWN, "") for cell in column.cells)]


def _round(row: RunLine) -> Text:
    """Which run of the schedule this is; the first of a process is cold, and told apart."""
    if row.warm_up:
        return faint("cold warm-up" if row.cold else "warm-up")
    return Text(f"{row.round}.{row.repeat}") + faint(" cold" if row.cold else "")


def _status(row: RunLine) -> Text:
    if row.voided is not None:
        return faint(clean(f"voided: {row.voided}", 30))
    status = Text(row.status) if row.status == FINISHED else warning_text(clean(row.status))
    if row.source != MEASURED:
        status += faint(f", {clean(row.source)}")
    return status + faint(", noted") if row.noted else status


def _strips(found: RunList) -> StripColumn:
    return time_strips([MeasureStrip(form=row.form, middle=row.time_s) for row in found.rows], after=2)


def run_records(found: RunList) -> Sequence[Mapping[str, Any]] | RecordBlocks:
    if isinstance(found.rows, RunLines):
        names = [name for name in RunLine.__slots__ if name != "varied"]
        return RecordBlocks(names, ({name: block[name] for name in names} for block in found.rows.json_blocks()))
    return [{name: value for name, value in asdict(row).items() if name != "varied"} for row in found.rows]


RUNS = View(print_runs, run_columns, run_records)
