"""Along a run: whether its steps or tokens slow down and its memory grows as it goes on."""

from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from unvek.core.errors import InputError
from unvek.core.evidence.counted_runs import VariantOnRecord
from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.circumstances import circumstance_notes
from unvek.core.findings.curve.curve import Curve, CurveRow, FitsFound, PointFound
from unvek.core.findings.curve.forming import can_form, formed, forming_of
from unvek.core.logbook.reading import Course
from unvek.core.logbook.rows import RunRow
from unvek.core.logbook.store import Logbook
from unvek.core.measures.definition import LESS
from unvek.core.stats.conclusions.fits import line, power_law
from unvek.core.stats.over_launches.launches import Sample, location, paired_ratio
from unvek.core.stats.student import Estimate

POSITION = "position"
STRETCHES = 10  # a run of more steps is cut into so many stretches
FEWEST = 4  # of steps or tokens that tell of a course
STEPS, TOKENS, MEMORY = "step.time", "gap.median", "memory.peak"
UNITS = {STEPS: "s", TOKENS: "s", MEMORY: "B"}
Floats = NDArray[np.float64]


def curve_along(logbook: Logbook, evidence: Evidence, measure: str | None = None) -> Curve:
    """Return the curve over the position within a run: of each step's time, each token's gap, or the memory.

    A point is a stretch of the run, at its middle, and its value the median over that stretch. Without a measure it is
    of steps where there are any, else of tokens. The memory is over the tokens that had come by then, where any did,
    else over the seconds of the run. InputError where no run has enough of either, or for another measure.
    """
    if measure is not None and can_form(evidence, measure):
        return _curve_forming(logbook, evidence, measure)
    if measure is not None and measure not in UNITS:
        raise InputError(f"along a run there are {', '.join(UNITS)} and likenesses of pictures, not {measure}")
    courses: dict[str, dict[int, _Along]] = {name: {} for name in UNITS}
    wanted = (measure,) if measure is not None else (STEPS, TOKENS)
    finished = evidence.runs.finished
    times_s = dict(zip(evidence.runs.number[finished].tolist(), evidence.runs.column("time_s")[finished], strict=True))
    for details in logbook.courses(times_s):
        for name in wanted:
            course = _COURSES[name](details, times_s[details.run])
            if len(course.values) >= FEWEST:
                courses[name][details.run] = course
    found = [name for name in wanted if courses[name]]
    if not found:
        raise InputError(f"no run here has {FEWEST} steps or tokens whose times are known" if measure is None else
                         f"no run here tells of {measure} along it")  # fmt: skip
    name = found[0]
    kept, over = _on_one_axis(courses[name])
    rows = (_row(evidence, variant, kept) for variant in evidence.variants)
    return Curve(
        title=evidence.plan.title, setting=POSITION, over=over, measure=name, unit=UNITS[name], better=LESS,
        reference=evidence.reference, rows=tuple(row for row in rows if row is not None),
        notes=tuple(circumstance_notes(evidence)),
    )  # fmt: skip


def _curve_forming(logbook: Logbook, evidence: Evidence, name: str) -> Curve:
    """Return the curve of how alike what was there after each step is to what it came to."""
    formings = forming_of(logbook, evidence, name)
    courses = {run: _Along(forming.at, forming.values, "step") for run, forming in formings.items()}
    rows = (_row(evidence, variant, courses, fits=False) for variant in evidence.variants)
    variants = {row.number: row.variant for row in evidence.runs.rows}
    measure = evidence.values.measure(name)
    return Curve(
        title=evidence.plan.title,
        setting=POSITION,
        over="step",
        measure=name,
        unit=measure.unit,
        better=measure.better,
        reference=evidence.reference,
        rows=tuple(
            replace(
                row, formed=formed(evidence, name, [f for run, f in formings.items() if variants[run] == row.variant])
            )
            for row in rows
            if row is not None
        ),
        notes=tuple(circumstance_notes(evidence)),
    )


def _unpacked(data: bytes | None) -> Floats:
    """Seconds as the logbook packs them: little-endian float64."""
    return np.frombuffer((data or b"")[: len(data or b"") // 8 * 8], "<f8")


@dataclass(frozen=True, slots=True)
class _Along:
    """(n,) values along a run, and where each stands: after so many steps or tokens, or seconds."""

    at: Floats
    values: Floats
    over: str


def _steps(details: Course, _: float) -> _Along:
    times = _unpacked(details.step_times_s)
    return _Along(np.arange(1.0, len(times) + 1), times, "step")


def _gaps(details: Course, _: float) -> _Along:
    """Between the tokens of a run; where several streams came together, one begins where the time goes back."""
    gaps = np.diff(_unpacked(details.piece_times_s))
    gaps = gaps[gaps >= 0]
    return _Along(np.arange(1.0, len(gaps) + 1), gaps, "token")


def _memory(details: Course, time_s: float) -> _Along:
    """What was held while the run went on: telemetry looks once more when it has let go of all."""
    looks = [(at_s, size) for at_s, size in details.machine.get("memory_along") or () if at_s <= time_s]
    at_s, sizes = np.array(looks, np.float64).reshape(-1, 2).T
    pieces = np.sort(_unpacked(details.piece_times_s))
    if len(pieces):
        return _Along(np.searchsorted(pieces, at_s, side="right").astype(float), sizes, "token")
    return _Along(at_s, sizes, "second")


_COURSES: Mapping[str, Callable[[Course, float], _Along]] = {STEPS: _steps, TOKENS: _gaps, MEMORY: _memory}


def _on_one_axis(courses: Mapping[int, _Along]) -> tuple[dict[int, _Along], str]:
    """Return the courses over what most of them are over, and its name."""
    over = Counter(course.over for course in courses.values()).most_common(1)[0][0]
    return {run: course for run, course in courses.items() if course.over == over}, over


def _row(
    evidence: Evidence, variant: VariantOnRecord, courses: Mapping[int, _Along], fits: bool = True
) -> CurveRow | None:
    rows = [row for row in evidence.runs.rows if row.variant == variant.name and row.number in courses]
    if not rows:
        return None
    mine = [courses[row.number] for row in rows]
    stretches = min(STRETCHES, *(len(course.values) for course in mine))
    values = np.array([list(_stretches(course.values, stretches, np.median)) for course in mine])
    middles = np.median([list(_stretches(course.at, stretches, np.mean)) for course in mine], axis=0)
    rounds, launches = np.array([row.round for row in rows]), np.array([row.launch for row in rows])
    items = _items(rows)
    samples = [Sample(values[:, place], rounds, launches, items) for place in range(stretches)]
    x, y = np.tile(middles, len(rows)), values.ravel()
    return CurveRow(
        variant=variant.name,
        form=variant.form,
        points=tuple(
            _point(sample, middle, evidence) for sample, middle in zip(samples, middles.tolist(), strict=True)
        ),
        fits=FitsFound.of(
            line(x, y, np.repeat(launches, stretches), evidence.pilot),
            power_law(x, y, np.repeat(launches, stretches), evidence.pilot),
        )
        if fits
        else FitsFound.of(None, None),
        plateau=None,
        change=_change(samples[0], samples[-1], evidence.pilot) if fits else None,
    )


def _stretches(course: Floats, count: int, summed_up: Callable[[Floats], Any]) -> Iterator[float]:
    for stretch in np.array_split(course, count):
        yield float(summed_up(stretch))


def _point(sample: Sample, middle: float, evidence: Evidence) -> PointFound:
    found = location(sample, pilot=evidence.pilot)
    assert found is not None, "every run has each stretch"
    return PointFound(
        value=float(f"{middle:.4g}"), n=len(sample), typical=found.value, low=found.low, high=found.high,
        dots=tuple(sample.values.tolist()),
    )  # fmt: skip


def _change(first: Sample, last: Sample, pilot: int | None) -> Estimate | None:
    """The last stretch over the first, paired run by run and averaged over launches."""
    ratio = paired_ratio(last.within_launches(), first.within_launches(), pilot)
    return None if ratio is None else Estimate(value=ratio.value, low=ratio.low, high=ratio.high)


def _items(rows: list[RunRow]) -> NDArray[np.int64]:
    places: dict[Any, int] = {}
    keys = [(row.task, row.seed, repr(row.varied)) for row in rows]
    return np.array([places.setdefault(key, len(places)) for key in keys], np.int64)
