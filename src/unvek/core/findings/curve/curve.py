"""How a measure answers to a setting, or to a number about a task: points, fits, and where more stops paying."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from unvek.core.errors import InputError
from unvek.core.evidence.counted_runs import VariantOnRecord
from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.circumstances import circumstance_notes
from unvek.core.findings.curve.over import Value, Values, values_of
from unvek.core.measures.catalogue import COST, COST_PER_GOOD, COST_PER_THOUSAND, TIME
from unvek.core.measures.definition import MORE, Measure
from unvek.core.stats.conclusions.fits import Line, PowerLaw, line, power_law
from unvek.core.stats.conclusions.plateau import plateau
from unvek.core.stats.over_launches.launches import Sample, paired_ratio
from unvek.core.stats.student import Estimate

ALL = "all variants"  # of a curve across them
MOST_DOTS = 400  # single runs drawn of one point
FITS_WELL = 0.1  # root mean square of the relative misfit, above which a form does not fit
FEWEST_VALUES = 3  # through two any form goes


@dataclass(frozen=True, slots=True, kw_only=True)
class PointFound:
    """A measure at one value of the setting; `dots` are single runs."""

    value: Value
    n: int
    typical: float
    low: float | None
    high: float | None
    dots: tuple[float, ...] = field(default=(), metadata={"json": False})


@dataclass(frozen=True, slots=True, kw_only=True)
class PlateauFound:
    """The best value; those shown not to be worse than it by more than the margin, itself among them; those shown to be
    worse; those of which neither is shown; and the cheapest (in time, of clients in their number) that is as good.
    """

    best: Value
    as_good: tuple[Value, ...]
    worse: tuple[Value, ...]
    untold: tuple[Value, ...]
    cheapest: Value
    margin: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LongOrShort:
    """One run at a value `long` against `times` runs at `short` that come to the same: its share of what they take."""

    long: float
    short: float
    times: int
    value: float
    low: float | None
    high: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class FitsFound:
    """Fits through a variant's points; None where there are under three, what is fitted is not positive, or a score.

    form: the one that is said, "line" or "power": it misses least, and fits; None where neither does.
    """

    line: Line | None
    power: PowerLaw | None
    form: str | None

    @classmethod
    def of(cls, line: Line | None, power: PowerLaw | None) -> "FitsFound":
        known = {"line": line, "power": power}
        misfits = {form: fit.misfit for form, fit in known.items() if fit is not None and fit.misfit <= FITS_WELL}
        return cls(line=line, power=power, form=min(misfits, key=lambda form: misfits[form], default=None))

    @property
    def said(self) -> Line | PowerLaw | None:
        return {"line": self.line, "power": self.power}.get(self.form or "")


@dataclass(frozen=True, slots=True, kw_only=True)
class Formed:
    """After how many of its steps a picture is within so much of what it comes to: over runs, from low to high.

    steps is None where it comes that near with none before the last; `of` None where runs have different numbers.
    """

    steps: int | None
    low: int | None
    high: int | None
    of: int | None
    runs: int
    within: float


@dataclass(frozen=True, slots=True, kw_only=True)
class CurveRow:
    """One variant, or all together. `change` is the last point over the first, of a curve along the run.

    `formed` is from when on a picture is nearly what it comes to, of a likeness along the run.
    """

    variant: str
    form: str
    points: tuple[PointFound, ...]
    fits: FitsFound
    plateau: PlateauFound | None
    long_or_short: tuple[LongOrShort, ...] = ()
    change: Estimate | None = None
    formed: Formed | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Curve:
    """A measure of every variant over the values of a setting; along a run, over so many of `over`."""

    kind: ClassVar[str] = "curve"
    title: str
    setting: str
    measure: str
    unit: str
    better: str | None
    reference: str
    rows: tuple[CurveRow, ...]
    notes: tuple[str, ...]
    over: str | None = None

    @property
    def axis(self) -> str:
        return self.over or self.setting


def curve(evidence: Evidence, setting: str, measure_name: str = TIME) -> Curve:
    """Return how a measure answers to a setting; InputError where these runs have not two values of it."""
    measure = evidence.values.measure(measure_name)
    if measure.name == COST_PER_GOOD and evidence.values.is_cost(measure.name):
        raise InputError(
            f"{measure.name} is of all runs of a variant together; a curve takes {COST} or {COST_PER_THOUSAND}"
        )
    values = values_of(evidence, setting)
    if not np.any(np.isfinite(evidence.values.of(measure_name))):
        raise InputError(f"no run here has a value of {measure_name}; 'unvek show RUN' lists what a run has")
    found = [_row(evidence, variant, values, measure) for variant in evidence.variants]
    if len(found) > 1 and all(row is not None and len(row.points) == 1 for row in found):
        found = [_row(evidence, None, values, measure)]
    return Curve(
        title=evidence.plan.title,
        setting=setting,
        measure=measure.name,
        unit=measure.unit,
        better=measure.better,
        reference=evidence.reference,
        rows=tuple(row for row in found if row is not None),
        notes=tuple(_notes(evidence, setting)),
    )


def _row(evidence: Evidence, variant: VariantOnRecord | None, values: Values, measure: Measure) -> CurveRow | None:
    """The curve of a variant; of all together where each has a value of its own, with rounds for launches."""
    mine = evidence.runs.of_variant(variant.name) if variant is not None else np.ones(len(evidence.runs), bool)
    launches = evidence.runs.launch if variant is not None else evidence.runs.round_of_machine
    y = evidence.values.of(measure.name)
    known = mine & np.isfinite(y) & (values.places >= 0)
    places = [place for place in range(len(values.names)) if np.any(known & (values.places == place))]
    if not places:
        return None
    at_places = [known & (values.places == place) for place in places]
    points = tuple(
        _point(evidence, measure.name, values.names[place], these)
        for place, these in zip(places, at_places, strict=True)
    )
    numbers = values.numbers
    fits = FitsFound.of(None, None)
    is_amount = not evidence.values.is_score(measure.name) and not values.are_clients
    if numbers is not None and len(places) >= FEWEST_VALUES and is_amount:
        x = numbers[values.places[known]]
        fits = FitsFound.of(
            line(x, y[known], launches[known], evidence.pilot), power_law(x, y[known], launches[known], evidence.pilot)
        )
    samples = [
        replace(evidence.sample(measure.name, these), launches=launches[these], items=values.items[these])
        for these in at_places
    ]
    adds_up = values.is_length and measure.adds_up and numbers is not None and variant is not None
    return CurveRow(
        variant=variant.name if variant is not None else ALL,
        form=(variant or evidence.variants[0]).form,
        points=points,
        fits=fits,
        plateau=_plateau(evidence, mine, values, measure, places, samples, points),
        long_or_short=tuple(_long_or_short(samples, [values.names[place] for place in places])) if adds_up else (),
    )


def _point(evidence: Evidence, measure: str, value: Value, these: NDArray[np.bool_]) -> PointFound:
    found = evidence.location(measure, these)
    runs = evidence.values.of(measure)[these]
    assert found is not None, "a point has a run whose value is known"
    return PointFound(
        value=value,
        n=len(runs),
        typical=found.value,
        low=found.low,
        high=found.high,
        dots=tuple(runs[:: max(1, len(runs) // MOST_DOTS)].tolist()),
    )


def _plateau(evidence: Evidence, mine: NDArray[np.bool_], values: Values, measure: Measure, places: Sequence[int],
             samples: Sequence[Sample], points: Sequence[PointFound]) -> PlateauFound | None:  # fmt: skip
    if measure.better is None:
        return None
    name, middles = measure.name, [point.typical for point in points]
    costs = _costs(evidence, mine, values, places)
    more = measure.better == MORE
    margin = evidence.margin(name)
    best = (max if more else min)(middles)
    found = plateau(
        samples, middles, costs, more=more, margin=margin.share_of(best), is_score=evidence.values.is_score(name),
        averaged=evidence.values.is_averaged(name),
    )  # fmt: skip
    if found is None:
        return None
    as_good, worse, untold = (
        tuple(points[place].value for place in these) for these in (found.as_good, found.worse, found.untold)
    )
    return PlateauFound(
        best=points[found.best].value, as_good=as_good, worse=worse, untold=untold,
        cheapest=points[found.cheapest].value, margin=margin.words,
    )  # fmt: skip


def _costs(evidence: Evidence, mine: NDArray[np.bool_], values: Values, places: Sequence[int]) -> list[float]:
    """What each value costs: the time that it takes, or how many clients it is."""
    if values.are_clients and values.numbers is not None:
        return [float(values.numbers[place]) for place in places]
    times = evidence.values.of(TIME)
    mine = mine & np.isfinite(times)
    return [
        float(np.median(times[at])) if np.any(at := mine & (values.places == place)) else np.inf for place in places
    ]


def _long_or_short(samples: Sequence[Sample], names: Sequence[Any]) -> list[LongOrShort]:
    """Hold one run at each value against several at the smallest value that it is a whole multiple of."""
    found = []
    for place, long in enumerate(names):
        for before in range(place):
            short = names[before]
            times = round(long / short) if short > 0 else 0
            if times < 2 or abs(long - times * short) > 1e-9 * long:
                continue
            ratio = paired_ratio(samples[place].within_launches(), samples[before].within_launches())
            if ratio is not None:
                low, high = (None if end is None else end / times for end in (ratio.low, ratio.high))
                found.append(
                    LongOrShort(long=long, short=short, times=times, value=ratio.value / times, low=low, high=high)
                )
                break
    return found


def _notes(evidence: Evidence, setting: str) -> list[str]:
    others = {name: values for name, values in evidence.settings.compared_values.items() if name != setting}
    notes = [
        f"Taken together over {name} {', '.join(map(str, values))}; --varied {name}={values[0]} takes one."
        for name, values in others.items()
    ]
    return notes + circumstance_notes(evidence)
