"""Along a run: whether its steps or tokens slow down and its memory grows as it goes on."""

from collections.abc import Callable, Iterator, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from unvek.core.errors import InputError
from unvek.core.evidence.counted_runs import VariantOnRecord
from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.circumstances import circumstance_notes
from unvek.core.findings.curve.curve import Curve, CurveRow, FitsFound, PointFound
from unvek.core.logbook.reading import Course
from unvek.core.logbook.rows import RunRow
from unvek.core.logbook.store import Logbook
from unvek.core.measures.definition import LESS
from unvek.core.stats.fits import line, power_law
from unvek.core.stats.launches import Sample, location, paired_ratio
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
    of steps where there are any, else of tokens. InputError where no run has enough of either, or for another measure.
    """
    if measure is not None and measure not in UNITS:
        raise InputError(f"along a run there are {', '.join(UNITS)}, not {measure}")
    courses: dict[str, dict[int, Floats]] = {name: {} for name in UNITS}
    wanted = (measure,) if measure is not None else (STEPS, TOKENS)
    numbers = evidence.runs.number[evidence.runs.finished].tolist()
    for details in logbook.courses(numbers):
        for name in wanted:
            course = _COURSES[name](details)
            if len(course) >= FEWEST:
                courses[name][details.run] = course
    found = [name for name in wanted if courses[name]]
    if not found:
        raise InputError(f"no run here has {FEWEST} steps or tokens whose times are known" if measure is None else
                         f"no run here tells of {measure} along it")  # fmt: skip
    name = found[0]
    rows = (_row(evidence, variant, courses[name]) for variant in evidence.variants)
    return Curve(
        title=evidence.plan.title, setting=POSITION, measure=name, unit=UNITS[name], better=LESS,
        reference=evidence.reference, rows=tuple(row for row in rows if row is not None),
        notes=tuple(circumstance_notes(evidence)),
    )  # fmt: skip


def _unpacked(data: bytes | None) -> Floats:
    """Seconds as the logbook packs them: little-endian float64."""
    return np.frombuffer((data or b"")[: len(data or b"") // 8 * 8], "<f8")


def _steps(details: Course) -> Floats:
    return _unpacked(details.step_times_s)


def _gaps(details: Course) -> Floats:
    """Between the tokens of a run; where several streams came together, one begins where the time goes back."""
    gaps = np.diff(_unpacked(details.piece_times_s))
    return gaps[gaps >= 0]


def _memory(details: Course) -> Floats:
    along = details.machine.get("memory_along") or ()
    return np.array([size for _, size in along], np.float64)


_COURSES: Mapping[str, Callable[[Course], Floats]] = {STEPS: _steps, TOKENS: _gaps, MEMORY: _memory}


def _row(evidence: Evidence, variant: VariantOnRecord, courses: Mapping[int, Floats]) -> CurveRow | None:
    rows = [row for row in evidence.runs.rows if row.variant == variant.name and row.number in courses]
    if not rows:
        return None
    shortest = min(len(courses[row.number]) for row in rows)
    stretches = min(STRETCHES, shortest)
    values = np.array([list(_stretches(courses[row.number], stretches)) for row in rows])
    lengths = np.array([len(courses[row.number]) for row in rows], np.float64)
    middles = (np.arange(stretches) + 0.5) / stretches * np.median(lengths) + 0.5
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
        fits=FitsFound(
            line=line(x, y, np.repeat(launches, stretches), evidence.pilot),
            power=power_law(x, y, np.repeat(launches, stretches), evidence.pilot),
        ),
        plateau=None,
        change=_change(samples[0], samples[-1], evidence.pilot),
    )


def _stretches(course: Floats, count: int) -> Iterator[float]:
    for stretch in np.array_split(course, count):
        yield float(np.median(stretch))


def _point(sample: Sample, middle: float, evidence: Evidence) -> PointFound:
    found = location(sample, pilot=evidence.pilot)
    assert found is not None, "every run has each stretch"
    return PointFound(
        value=round(middle, 1), n=len(sample), typical=found.value, low=found.low, high=found.high,
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
