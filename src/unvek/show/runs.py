"""The runs, drawn: all in lines, or one whole."""

import shlex
from collections.abc import Mapping
from typing import Any

from rich.console import Console
from rich.text import Text

from unvek.core.findings.runs import AS_MADE, MeasurementFound, OutputFound, RunLine, RunList, RunWhole
from unvek.core.plan.runners import COMMAND, STREAM
from unvek.core.rig.facts import rig_words
from unvek.core.run.record import FINISHED, MEASURED
from unvek.core.run.recording import UNNAMED_PHASE
from unvek.core.units import bytes_words, counted, duration_words, range_words
from unvek.show.answers import TOLD_ABOVE, stream_facts
from unvek.show.bars import step_bars
from unvek.show.circumstances import machine_facts, made_of_facts
from unvek.show.figures import UNKNOWN, figure, scale_for, settings_words, variant_text, warning_text
from unvek.show.grid import Column, StripColumn, print_grid
from unvek.show.measure_strips import MeasureStrip, time_strips
from unvek.show.terminal import clean, clean_lines, faint
from unvek.show.views import View

TEXT_SHOWN = 2000
LONGEST_COMMAND = 400


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
    status = Text(row.status) if row.status == FINISHED else warning_text(row.status)
    if row.source != MEASURED:
        status += faint(f", {row.source}")
    return status + faint(", noted") if row.noted else status


def _strips(found: RunList) -> StripColumn:
    return time_strips([MeasureStrip(form=row.form, middle=row.time_s) for row in found.rows], after=2)


def run_records(found: RunList) -> list[Mapping[str, Any]]:
    return [{name: getattr(row, name) for name in RunLine.__slots__ if name != "varied"} for row in found.rows]


def print_run(out: Console, run: RunWhole) -> None:
    head = Text.assemble(
        ("Run " + str(run.run), "bold"), "  ", variant_text(run.variant, run.form), f"  {clean(run.task)}"
    )
    out.print(head + Text(f", seed {run.seed}" + (", warm-up" if run.warm_up else f", round {run.round}.{run.repeat}")))
    status = Text(run.status) if run.status == FINISHED else warning_text(run.status)
    took = "" if run.time_s is None else f" in {duration_words(run.time_s)}"
    out.print(status + Text(took + (f": {clean(run.error)}" if run.error else "")))
    if run.voided is not None:
        out.print(warning_text(f"voided: {clean(run.voided)}"))
    out.print()
    for name, value in _facts(run):
        out.print(Text.assemble((f"{name:<12}", "dim"), value), no_wrap=True, overflow="ellipsis")
    if run.text:
        _print_block(out, "text", run.text[:TEXT_SHOWN])
    if run.log_tail:
        _print_block(out, "last lines printed", run.log_tail)


def _facts(run: RunWhole) -> list[tuple[str, str | Text]]:
    steps = run.step_times_s
    facts: list[tuple[str, str | Text]] = [("started", clean(run.started))]
    cold = " (cold: the first of its process)" if run.cold else ""
    facts.append(("launch", f"{run.launch}, its run {run.place}{cold}; {run.source}"))
    if run.session is not None:
        facts.append(("session", clean(run.session)))
    if run.forecast is not None:
        forecast = range_words(run.forecast["low_s"], run.forecast["high_s"])
        facts.append(("forecast", f"{forecast}, by the {run.forecast['basis']}"))
    if run.load_s is not None:
        facts.append(("load", f"{duration_words(run.load_s)} (once a launch, not in the run's time)"))
    if steps and run.step_time_s is not None:
        facts.append(("steps", f"{len(steps)}, {duration_words(run.step_time_s)} each in the middle, "
                               f"slowest {duration_words(max(steps))}"))  # fmt: skip
        facts.append(("", step_bars(steps, 80)))
    if set(run.phases) != {UNNAMED_PHASE}:
        facts += [("phase", f"{clean(name)}: {duration_words(seconds)}") for name, seconds in run.phases.items()]
    facts += machine_facts(run.machine)
    facts += stream_facts(run)
    facts += [("measure", _measure_words(one)) for one in run.measurements if one.shown and one.name not in TOLD_ABOVE]
    stale = [one for one in run.measurements if not one.shown]
    if stale:
        facts.append(("", faint(f"{counted(len(stale), 'value')} by other definitions or against another reference: "
                                "--as json has them")))  # fmt: skip
    facts += [("fault", warning_text(f"{clean(kind)}: {clean(note)}")) for kind, note in run.faults]
    facts += [("output", _output_words(output)) for output in run.outputs]
    facts.append(("settings", settings_words(run.provenance["settings"]) or UNKNOWN))
    if run.varied:
        facts.append(("varied", settings_words(run.varied)))
    command = run.provenance.get("command")
    if command is not None and run.provenance.get("runner") in (COMMAND, STREAM):  # a worker's own is nobody's concern
        facts.append(("command", clean(shlex.join(command), LONGEST_COMMAND)))
    facts += made_of_facts(run.provenance)
    facts.append(("rig", f"{clean(rig_words(run.machine['rig']))} ({run.machine['rig']['fingerprint']})"))
    facts += [("noted", f"{note.noted[:16].replace('T', ' ')}: {clean(note.text)}") for note in run.notes]
    return facts


def _measure_words(one: MeasurementFound) -> str:
    unit = f" {clean(one.unit)}" if one.unit else ""
    value = f"{one.value:.6g}{unit}" if one.value is not None else UNKNOWN
    return f"{clean(one.name)}: {value}{f' ({clean(one.why)})' if one.why else ''}"


def _output_words(output: OutputFound) -> str | Text:
    words = f"{clean(output.path)} ({bytes_words(output.bytes)}, sha256 {output.digest[:12]})"
    if output.state == AS_MADE:
        return words
    return warning_text(f"{words}: {output.state} since the run")


def _print_block(out: Console, head: str, text: str) -> None:
    out.print()
    out.print(faint(head))
    for line in clean_lines(text):
        out.print(Text("  " + line))


def _one(run: RunWhole) -> list[Column]:
    return run_columns(RunList(rows=(run,)))


RUNS = View(print_runs, run_columns, run_records)
RUN = View(print_run, _one, lambda run: run_records(RunList(rows=(run,))))
