"""One run whole: everything that is known of it."""

import os
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from hashlib import file_digest
from typing import Any, ClassVar

from unvek.core.findings.log.run_list import RunLine, fields_of_line, session_names
from unvek.core.findings.log.verdict_list import VerdictLine, list_verdicts
from unvek.core.held_folder import open_plain
from unvek.core.logbook.measure_names import MeasureNames
from unvek.core.logbook.packing import unpack_floats
from unvek.core.logbook.plan_record import PlanOnRecord, plain
from unvek.core.logbook.rows import KeptRun, LaunchRow, OutputRow, RunDetails, behind_measures, model_memory_bytes
from unvek.core.logbook.store import Logbook
from unvek.core.measures.catalogue import LOAD, MODEL_MEMORY, PHASE_TIME
from unvek.core.measures.points import POINT_WORDS
from unvek.core.plan.model import Plan, Task
from unvek.core.run.events.record import LaunchAbout

AS_MADE, CHANGED, GONE = "as made", "changed", "gone"
ELSEWHERE = "not on this machine"


@dataclass(frozen=True, slots=True, kw_only=True)
class NoteFound:
    """A remark on a run."""

    noted: str
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputFound:
    """A file that a run made; the path is from the logbook's folder. state: as made, changed or gone since."""

    path: str
    bytes: int
    digest: str
    state: str


@dataclass(frozen=True, slots=True, kw_only=True)
class MeasurementFound:
    """One value of a measure of the run, with all that tells it apart; `against` is a run's number."""

    name: str
    value: float | None
    why: str | None
    unit: str
    origin: str
    definition: str
    kind: str
    against: int | None
    shown: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class ExpectedFound:
    """Something that the run's task expects of its output, and what was said of it: None is not yet judged."""

    thing: str
    said: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class RunWhole(RunLine):
    """Everything that is known of one run."""

    kind: ClassVar[str] = "run"
    place: int
    error: str | None
    first_s: float | None
    load_s: float | None
    step_times_s: tuple[float, ...]
    phases: Mapping[str, float]
    measures: Mapping[str, float | None]
    measurements: tuple[MeasurementFound, ...]
    expected: tuple[ExpectedFound, ...]
    faults: tuple[tuple[str, str], ...]
    outputs: tuple[OutputFound, ...]
    forecast: Mapping[str, Any] | None
    notes: tuple[NoteFound, ...]
    machine: Mapping[str, Any]
    provenance: Mapping[str, Any]
    log_tail: str
    text: str
    piece_times_s: tuple[float, ...]
    requests: tuple[Mapping[str, Any], ...]
    verdicts: tuple[VerdictLine, ...] = ()


def whole_run(logbook: Logbook, number: int) -> RunWhole:
    """Return one run; InputError where there is none of this number."""
    run, details = logbook.run(number), logbook.details(number)
    launch, notes = logbook.launch(run.launch), logbook.notes(number)
    record = logbook.newest_plan()
    measurements = measurements_of(logbook, run, record)
    verdicts = list_verdicts(logbook, number).rows if logbook.has_verdicts() else ()
    points = _points(record.plan if record is not None else None, measurements)
    return RunWhole(
        **fields_of_line(run, bool(notes), session_names(logbook)[run.launch]),
        place=run.place,
        error=run.error,
        first_s=run.first_s,
        load_s=launch.load_s,
        step_times_s=unpack_floats(details.step_times_s),
        phases=details.phases_s,
        measures={
            **_built_in(run, launch, details),
            **{one.name: one.value for one in measurements if one.shown and one.name not in points},
        },
        measurements=measurements,
        expected=_expected(record.task(run.task) if record is not None else None, measurements, points, verdicts),
        faults=details.faults,
        outputs=tuple(_output(logbook, output) for output in logbook.outputs(number)),
        forecast=_forecast(run),
        notes=tuple(NoteFound(noted=note.noted_at, text=note.text) for note in notes),
        machine={
            **details.machine,
            "memory_peak_bytes": run.memory_peak_bytes,
            "memory_device_bytes": run.memory_device_bytes,
            "cpu_s": run.cpu_s,
            "rig": {"fingerprint": launch.rig, **logbook.rigs()[launch.rig]},
        },
        provenance=_made_of(details, launch.about),
        log_tail=details.log_tail,
        text=details.text,
        piece_times_s=unpack_floats(details.piece_times_s),
        requests=tuple(plain(request) for request in details.requests),
        verdicts=verdicts,
    )


def _built_in(run: KeptRun, launch: LaunchRow, details: RunDetails) -> dict[str, float]:
    """Return what Unvek itself measures of every run, by its names, as far as it is known."""
    values = {name: getattr(run, field) for name, field in behind_measures().items()}
    values |= {LOAD: launch.load_s, MODEL_MEMORY: model_memory_bytes(run, launch)}
    values |= {PHASE_TIME + name: seconds for name, seconds in details.phases_s.items()}
    return {name: value for name, value in values.items() if value is not None}


def _points(plan: Plan | None, measurements: Sequence[MeasurementFound]) -> dict[str, int]:
    """Return which values are of one thing that a task expects, by name, with its place among these."""
    asked = plan.measures if plan is not None else ()
    names = [one.name for one in measurements if one.shown]
    places = ((name, measure.place_of_point(name)) for measure in asked for name in names)
    return {name: place for name, place in places if place is not None}


def _expected(
    task: Task | None,
    measurements: Sequence[MeasurementFound],
    points: Mapping[str, int],
    verdicts: Sequence[VerdictLine],
) -> tuple[ExpectedFound, ...]:
    """Return what a task expects, with what a program has said of each thing, or else who judged it."""
    said = {points[one.name]: one.value for one in measurements if one.name in points}
    judged = [one for one in verdicts if one.voided is None and isinstance(one.answer, dict)]
    found = []
    for place, thing in enumerate(task.expect if task is not None else (), 1):
        value = said.get(place)
        by_judges = ", ".join(f"{one.answer[thing]} ({one.judge})" for one in judged if thing in one.answer)
        found.append(ExpectedFound(thing=thing, said=by_judges or None if value is None else POINT_WORDS.get(value)))
    return tuple(found)


def _made_of(details: RunDetails, about: LaunchAbout) -> dict[str, Any]:
    made_of = details.provenance
    return {
        **{name: getattr(made_of, name) for name in ("runner", "command", "python", "precision", "script", "files")},
        **{name: getattr(about, name) for name in ("packages", "modules", "threads")},
        "total_includes_load": made_of.total_includes_load,
        "settings": details.settings,
        "limits": details.limits,
        "exit_code": details.exit_code,
    }


def measurements_of(logbook: Logbook, run: KeptRun, record: PlanOnRecord | None) -> tuple[MeasurementFound, ...]:
    """Return what was measured of a run; likenesses to other seeds, which only make the drift scale, are left out.

    record: the newest plan. Not shown under its name is what was worked out by a definition that this does not give any
    more, or against another reference than the plan's where there is a value against that.
    """
    definitions, plan = logbook.definitions(), record.plan if record is not None else None
    names, found = MeasureNames(plan, definitions), []
    for measurement in logbook.measurements_of(run.number):
        against = logbook.run(measurement.against) if measurement.against else None
        if (against is not None and against.seed != run.seed) or (
            measurement.value is None and measurement.why is None
        ):
            continue  # the last is the mark that a program was asked, whose numbers have names of their own
        row, shown = definitions[measurement.definition], names[measurement.definition]
        is_shown = shown is not None and shown.of_task(run.task)
        is_of_plan = against is None or plan is None or against.variant == plan.reference
        one = MeasurementFound(
            name=shown.measure.name if shown is not None and is_shown else row.name, value=measurement.value,
            why=measurement.why, unit=row.content.unit, origin=row.origin, definition=row.digest,
            kind=row.content.kind, against=measurement.against or None, shown=is_shown,
        )  # fmt: skip
        found.append((is_of_plan, one))
    known = {one.name for is_of_plan, one in found if is_of_plan and one.shown}
    return tuple(replace(one, shown=one.shown and (is_of_plan or one.name not in known)) for is_of_plan, one in found)


def _output(logbook: Logbook, output: OutputRow) -> OutputFound:
    try:
        if logbook.files.is_elsewhere(output):
            return OutputFound(path=output.path, bytes=output.bytes, digest=output.digest, state=ELSEWHERE)
        with os.fdopen(open_plain(logbook.files.find(output)), "rb") as file:
            state = AS_MADE if file_digest(file, "sha256").hexdigest() == output.digest else CHANGED
    except OSError:
        state = GONE
    return OutputFound(path=output.path, bytes=output.bytes, digest=output.digest, state=state)


def _forecast(run: KeptRun) -> dict[str, Any] | None:
    if run.forecast_low_s is None or run.forecast_high_s is None:
        return None
    return {"low_s": run.forecast_low_s, "high_s": run.forecast_high_s, "basis": run.forecast_basis}
