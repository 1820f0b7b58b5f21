"""One run whole, drawn."""

import shlex
from collections.abc import Iterator

from rich.console import Console
from rich.text import Text

from unvek.core.findings.log.run_list import RunList
from unvek.core.findings.log.verdict_list import VerdictLine
from unvek.core.findings.log.whole_run import AS_MADE, MeasurementFound, OutputFound, RunWhole
from unvek.core.logbook.verdict_rows import EVEN
from unvek.core.measures.catalogue import MODEL_MEMORY, PHASE_STEP_TIME, PHASE_STEPS, PHASE_TIME
from unvek.core.measures.points import NOT_JUDGED
from unvek.core.plain_text import clean, clean_lines
from unvek.core.plan.runners import COMMAND, STREAM
from unvek.core.rig.facts import rig_words
from unvek.core.run.events.record import FINISHED
from unvek.core.run.events.recording import UNNAMED_PHASE
from unvek.core.units import bytes_words, counted, duration_words, range_words
from unvek.show.results.answer_facts import TOLD_ABOVE, stream_facts
from unvek.show.results.circumstances import machine_facts, made_of_facts
from unvek.show.results.run_list import run_columns, run_records
from unvek.show.terminal.bars import step_bars
from unvek.show.terminal.console import faint
from unvek.show.terminal.figures import UNKNOWN, settings_words, variant_text, warning_text
from unvek.show.terminal.grid import Column
from unvek.show.terminal.views import View

TEXT_SHOWN = 2000
LONGEST_COMMAND = 400
LONGEST_WHY = 100

Fact = tuple[str, str | Text]


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
    first = run.requests[0] if run.requests else {}
    if first.get("body"):
        _print_block(out, "asked" if len(run.requests) == 1 else "asked first", first["body"][:TEXT_SHOWN])
    for part in first.get("parts", ()):
        if part["text"]:
            _print_block(out, clean(part["name"]), part["text"][:TEXT_SHOWN])
    if run.text:
        _print_block(out, "text", run.text[:TEXT_SHOWN])
    if run.log_tail:
        _print_block(out, "last lines printed", run.log_tail)


def _facts(run: RunWhole) -> list[tuple[str, str | Text]]:
    machine = machine_facts(run.machine, run.measures.get(MODEL_MEMORY))
    return [*_how_it_went(run), *machine, *stream_facts(run), *_what_came_of_it(run), *_how_it_was_made(run)]


def _how_it_went(run: RunWhole) -> Iterator[Fact]:
    yield "started", clean(run.started)
    cold = " (cold: the first of its process)" if run.cold else ""
    yield "launch", f"{run.launch}, its run {run.place}{cold}; {clean(run.source)}"
    if run.session is not None:
        yield "session", clean(run.session)
    if run.forecast is not None:
        forecast = range_words(run.forecast["low_s"], run.forecast["high_s"])
        yield "forecast", f"{forecast}, by the {clean(run.forecast['basis'] or UNKNOWN)}"
    if run.load_s is not None:
        yield "load", f"{duration_words(run.load_s)} (once a launch, not in the run's time)"
    steps = run.step_times_s
    if steps and run.step_time_s is not None:
        middle, slowest = duration_words(run.step_time_s), duration_words(max(steps))
        yield "steps", f"{len(steps)}, {middle} each in the middle, slowest {slowest}"
        yield "", step_bars(steps, 80)
    if set(run.phases) != {UNNAMED_PHASE}:
        for name, seconds in run.phases.items():
            count, each = (run.measures.get(of + name) for of in (PHASE_STEPS, PHASE_STEP_TIME))
            stepped = f", {count:.0f} steps of {duration_words(each)}" if count is not None and each is not None else ""
            yield "phase", f"{clean(name)}: {duration_words(seconds)}{stepped}"


def _what_came_of_it(run: RunWhole) -> Iterator[Fact]:
    for one in run.measurements:
        if one.shown and not _is_told_above(one.name) and (one.name in run.measures or one.why):
            yield "measure", _measure_words(one)
    for point in run.expected:
        yield "expected", f"{clean(point.thing)}: {clean(point.said or NOT_JUDGED)}"
    for verdict in run.verdicts:
        if not isinstance(verdict.answer, dict):
            yield "judged", _verdict_words(run, verdict)
    stale = [one for one in run.measurements if not one.shown]
    if stale:
        words = f"{counted(len(stale), 'value')} by other definitions or against another reference: --as json has them"
        yield "", faint(words)
    for kind, note in run.faults:
        yield "fault", warning_text(f"{clean(kind)}: {clean(note)}")
    for output in run.outputs:
        yield "output", _output_words(output)


def _is_told_above(name: str) -> bool:
    return name in (*TOLD_ABOVE, MODEL_MEMORY) or name.startswith((PHASE_TIME, PHASE_STEPS, PHASE_STEP_TIME))


def _how_it_was_made(run: RunWhole) -> Iterator[Fact]:
    if run.provenance.get("precision"):
        yield "precision", clean(run.provenance["precision"])
    yield "settings", settings_words(run.provenance["settings"]) or UNKNOWN
    if run.varied:
        yield "varied", settings_words(run.varied)
    command = run.provenance.get("command")
    if command is not None and run.provenance.get("runner") in (COMMAND, STREAM):  # a worker's own is nobody's concern
        yield "command", clean(shlex.join(command), LONGEST_COMMAND)
    yield from made_of_facts(run.provenance)
    yield "rig", f"{clean(rig_words(run.machine['rig']))} ({run.machine['rig']['fingerprint']})"
    for note in run.notes:
        yield "noted", f"{note.noted[:16].replace('T', ' ')}: {clean(note.text)}"


def _verdict_words(run: RunWhole, verdict: VerdictLine) -> str | Text:
    """What somebody said of this run's output, and why."""
    why = f": {clean(' '.join(verdict.why.split()), LONGEST_WHY)}" if verdict.why else ""
    by = f"by {clean(verdict.judge)}{why} (verdict {verdict.verdict})"
    if verdict.voided is not None:
        return faint(f"taken out ({clean(verdict.voided, LONGEST_WHY)}), {by}")
    if verdict.unreadable is not None:
        return faint(f"unreadable, {by}")
    if verdict.right is None:
        return f"mark {verdict.answer}, {by}"
    other = verdict.right if verdict.left_run == run.run else verdict.left
    if verdict.winner is not None:
        return f"{'better' if verdict.winner == run.variant else 'worse'} than {clean(other)}, {by}"
    return f"{'as good as' if verdict.answer == EVEN else 'it would not do, nor would'} {clean(other)}, {by}"


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


RUN = View(print_run, _one, lambda run: run_records(RunList(rows=(run,))))
