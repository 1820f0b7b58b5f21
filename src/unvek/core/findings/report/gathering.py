"""A report from a logbook: every finding that there is, gathered once from the same evidence."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from fnmatch import fnmatchcase
from typing import Any

import numpy as np

from unvek import __version__
from unvek.core.errors import InputError
from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.gathering import Selection
from unvek.core.exchange.page_data import Kept, data_of, names_for
from unvek.core.findings.audit.audit import audit
from unvek.core.findings.comparison.comparison import compare
from unvek.core.findings.curve.curve import Curve, curve
from unvek.core.findings.log.run_list import RunLine, fields_of_line, session_names
from unvek.core.findings.output_sheet.laying_out import lay_out_outputs
from unvek.core.findings.report.anonymous import renamed
from unvek.core.findings.report.found import MadeFrom, Report, RunCourse, ShownItem
from unvek.core.findings.report.outputs import shown_outputs
from unvek.core.findings.tally.tally import tally
from unvek.core.findings.tradeoff.tradeoff import Asked, trade_off
from unvek.core.logbook.packing import unpack_floats
from unvek.core.logbook.store import Logbook
from unvek.core.measures.catalogue import TIME
from unvek.core.rig.facts import rig_words

MOST_CURVES = 4
MOST_LINES = 400  # runs in the list of a page; its data has all
MOST_STEPS_IN_ALL = 60_000
MOST_LOOKS = 200  # at the memory of one run
SIGNIFICANT = 4  # digits of a time that is only drawn


@dataclass(frozen=True, slots=True, kw_only=True)
class Wished:
    """What a report is to have: by what the pick goes, and what may leave the house."""

    asked: Asked = field(default_factory=Asked)
    with_outputs: bool = True
    anonymous: bool = False


def report_of(
    logbook: Logbook, evidence: Evidence, selection: Selection, wished: Wished, progress: Callable[[int, int], None]
) -> Report:
    """Return the report; InputError where no run has finished yet."""
    left_out: list[str] = []
    rig = logbook.rig_of_run(evidence.runs.latest)
    kept = Kept(
        variants=lambda name: name == evidence.reference or fnmatchcase(name, selection.only),
        tasks=lambda name: fnmatchcase(name, selection.tasks),
        varied=selection.varied,
        rigs=evidence.runs.rows.coded("rig").values if selection.rig is not None else None,
        with_texts=wished.with_outputs and not wished.anonymous,
        anonymous=wished.anonymous,
    )
    names = names_for(logbook, kept)
    items, alike_by = _items(logbook, evidence, wished, left_out, progress)
    numbers = evidence.runs.number.tolist()
    lines = _lines(logbook, numbers)
    if len(numbers) > len(lines):
        left_out.append(f"The last {len(lines)} of {len(numbers)} runs are listed; the page's data has all.")
    found = Report(
        title=evidence.plan.title,
        made=datetime.now(UTC).isoformat(timespec="seconds"),
        version=__version__,
        comparison=compare(evidence, rig),
        tradeoff=trade_off(evidence, wished.asked),
        audit=audit(evidence),
        curves=tuple(_curves(evidence)),
        tally=tally(logbook, evidence) if logbook.has_verdicts() else None,
        items=items,
        alike_by=alike_by,
        made_from=tuple(_made_from(evidence)),
        rig_words=rig_words({**rig, "name": None} if wished.anonymous else rig)
        if rig.get("system")
        else "a machine that is not known",
        runs=lines,
        courses=tuple(_courses(logbook, [line.run for line in lines])),
        left_out=tuple(left_out),
        data=data_of(logbook, replace(evidence.plan, reference=evidence.reference), kept),
    )
    return renamed(found, names) if wished.anonymous else found


def _items(
    logbook: Logbook, evidence: Evidence, wished: Wished, left_out: list[str], progress: Callable[[int, int], None]
) -> tuple[tuple[ShownItem, ...], str | None]:
    """The outputs, if they may leave the house and there are any, and by what they are alike."""
    if not wished.with_outputs or wished.anonymous:
        left_out.append("Outputs and texts are left out, as was wished.")
        return (), None
    try:
        sheet = lay_out_outputs(logbook, evidence)
    except InputError as error:
        left_out.append(f"No outputs are shown: {error}.")
        return (), None
    items, told = shown_outputs(logbook, evidence, sheet, progress)
    left_out += told
    return items, sheet.quality


def _curves(evidence: Evidence) -> list[Curve]:
    """A curve of the time and of the quality over each setting that is varied."""
    found = []
    for setting in evidence.settings.compared_values:
        for measure in dict.fromkeys(filter(None, (evidence.quality, TIME))):
            try:
                found.append(curve(evidence, setting, measure))
            except InputError:
                continue  # too many values, or nothing is known
    return found[:MOST_CURVES]


def _lines(logbook: Logbook, numbers: list[int]) -> tuple[RunLine, ...]:
    sessions, noted = session_names(logbook), logbook.noted_runs()
    runs = logbook.runs_numbered(numbers[-MOST_LINES:])
    return tuple(RunLine(**fields_of_line(run, run.number in noted, sessions[run.launch])) for run in runs)


def _courses(logbook: Logbook, numbers: list[int]) -> list[RunCourse]:
    """How the runs of the list went, as far as a page has room; the earliest are left out first."""
    found: list[RunCourse] = []
    room = MOST_STEPS_IN_ALL
    by_run = {course.run: course for course in logbook.courses(numbers)}
    for number in reversed(numbers):
        course = by_run.get(number)
        if course is None:
            continue
        steps = unpack_floats(course.step_times_s)
        looks = course.machine.get("memory_along") or ()
        if len(steps) + len(looks[:MOST_LOOKS]) > room:
            continue
        room -= len(steps) + len(looks[:MOST_LOOKS])
        every = max(1, -(-len(looks) // MOST_LOOKS))
        found.append(RunCourse(
            run=number, steps_s=tuple(_rounded(step) for step in steps),
            memory=tuple((_rounded(float(at)), float(size)) for at, size in looks[::every]),
        ))  # fmt: skip
    return found[::-1]


def _rounded(value: float) -> float:
    return float(f"{value:.{SIGNIFICANT}g}") if np.isfinite(value) else 0.0


def _made_from(evidence: Evidence) -> list[MadeFrom]:
    """What each variant is made of, as its latest launch had it."""
    found = []
    planned = {variant.name: variant for variant in evidence.plan.variants}
    for variant in evidence.variants:
        launches = [number for number, launch in evidence.runs.launches.items() if launch.variant == variant.name]
        latest = max((number for number in launches if number in evidence.made_of), default=None)
        made_of = evidence.made_of[latest] if latest is not None else None
        about = evidence.runs.launches[latest].about if latest is not None else None
        files = {**(made_of.files or {}), **(made_of.script or {})} if made_of is not None else {}
        software = [f"Python {about.python}"] if about is not None and about.python else []
        software += [f"{name} {version}" for name, version in _few(about.packages if about is not None else None)]
        known = planned.get(variant.name)
        found.append(MadeFrom(
            variant=variant.name, form=variant.form, settings=variant.settings, weights_bytes=variant.weights_bytes,
            files=tuple((path.rpartition("/")[2], digest) for path, digest in sorted(files.items())),
            runner=known.runner if known is not None else "", software=tuple(software),
        ))  # fmt: skip
    return found


def _few(packages: Mapping[str, Any] | None, most: int = 8) -> list[tuple[str, Any]]:
    return [(name, version) for name, version in sorted((packages or {}).items()) if version][:most]
