"""Who resembles whom: how alike the outputs of every two variants are, of the same items."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from unvek.core.errors import InputError
from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.circumstances import circumstance_notes
from unvek.core.measures.definition import MORE
from unvek.core.stats.over_launches.launches import Sample
from unvek.core.stats.over_tasks.items import score_location


@dataclass(frozen=True, slots=True, kw_only=True)
class PairFound:
    """How alike two variants' outputs are, the mean over items, with its interval over tasks; None where unknown."""

    variant: str
    against: str
    value: float | None
    low: float | None
    high: float | None
    items: int


@dataclass(frozen=True, slots=True, kw_only=True)
class NearestFound:
    """The variant that one resembles most."""

    variant: str
    form: str
    nearest: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Resemblance:
    """Every two variants, those that resemble each other beside each other."""

    kind: ClassVar[str] = "resemblance"
    title: str
    reference: str
    measure: str
    unit: str
    better: str | None
    variants: tuple[NearestFound, ...]
    rows: tuple[PairFound, ...]
    notes: tuple[str, ...]

    def value(self, one: str, other: str) -> float | None:
        """Return how alike two variants are, named either way round."""
        pair = self.pair(one, other)
        return pair.value if pair is not None else None

    def pair(self, one: str, other: str) -> PairFound | None:
        """Return what is known of two variants, named either way round."""
        return next((row for row in self.rows if {row.variant, row.against} == {one, other}), None)


def check_matrix(evidence: Evidence, name: str) -> None:
    """Raise InputError where a measure holds no output against another, or there are too few variants."""
    evidence.values.measure(name)
    if name not in evidence.values.likeness_names:
        alike = ", ".join(evidence.values.likeness_names) or "none"
        raise InputError(f"{name} holds no output against another, so there is no matrix of it; of likenesses there "
                         f"{'are' if ',' in alike else 'is'} {alike}")  # fmt: skip
    if len(evidence.variants) < 2:
        raise InputError("a matrix takes two variants or more")


def resemblance(evidence: Evidence, name: str) -> Resemblance:
    """Return how alike every two variants are by a measure that was worked out between them."""
    names = [variant.name for variant in evidence.variants]
    rows = [_pair(evidence, name, later, earlier) for earlier, later in combinations(names, 2)]
    measure = evidence.values.measure(name)
    more_is_alike = measure.better == MORE
    ordered = in_order(names, rows, more_is_alike)
    forms = {variant.name: variant.form for variant in evidence.variants}
    return Resemblance(
        title=evidence.plan.title, reference=evidence.reference, measure=name, unit=measure.unit, better=measure.better,
        variants=tuple(
            NearestFound(variant=one, form=forms[one], nearest=_nearest(one, rows, more_is_alike)) for one in ordered
        ),
        rows=tuple(rows), notes=tuple(circumstance_notes(evidence, measures=[name])),
    )  # fmt: skip


def _pair(evidence: Evidence, name: str, variant: str, against: str) -> PairFound:
    runs = evidence.runs
    places, others, values = evidence.values.between(name)
    these = runs.of_variant(variant)[places] & runs.of_variant(against)[others]
    these &= (runs.item[places] == runs.item[others]) & np.isfinite(values)
    at = places[these]
    items, firsts = np.unique(runs.item[at], return_index=True)
    if not len(items):
        return PairFound(variant=variant, against=against, value=None, low=None, high=None, items=0)
    at, known = at[firsts], values[these][firsts]
    one_round = np.ones(len(at), np.int64)
    found = score_location(Sample(known, one_round, one_round, items, runs.task_codes[at]))
    assert found is not None, "there are values"
    return PairFound(
        variant=variant, against=against, value=float(known.mean()), low=found.low, high=found.high, items=len(items)
    )


def _nearest(name: str, rows: Sequence[PairFound], more_is_alike: bool) -> str | None:
    known = {row.against if row.variant == name else row.variant: row.value
             for row in rows if name in (row.variant, row.against) and row.value is not None}  # fmt: skip
    if not known:
        return None
    return (max if more_is_alike else min)(known, key=lambda other: known[other])


def in_order(names: Sequence[str], rows: Sequence[PairFound], more_is_alike: bool) -> list[str]:
    """Return variants so that those that resemble each other come together, the first of the plan in the first half.

    By their places on the first axis of classical scaling (Torgerson 1952, "Multidimensional Scaling: I. Theory and
    Method") of what they differ by; what is not known is as far as the farthest.
    """
    places = {name: place for place, name in enumerate(names)}
    known = [row.value for row in rows if row.value is not None]
    if not known:
        return list(names)
    nearest, farthest = (max(known), min(known)) if more_is_alike else (min(known), max(known))
    apart = np.zeros((len(names), len(names)))
    for row in rows:
        value = farthest if row.value is None else row.value
        here, there = places[row.variant], places[row.against]
        apart[here, there] = apart[there, here] = abs(value - nearest) + 1e-9
    axis = _first_axis(apart)
    if axis[0] > np.median(axis):
        axis = -axis
    return [names[place] for place in np.argsort(axis, kind="stable")]


def _first_axis(apart: NDArray[np.float64]) -> NDArray[np.float64]:
    centred = np.eye(len(apart)) - 1 / len(apart)
    _, vectors = np.linalg.eigh(-0.5 * centred @ apart**2 @ centred)
    return np.asarray(vectors[:, -1])
