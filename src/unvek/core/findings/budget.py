"""Drafts with one variant, finals with another: what a session takes and costs, from when on that pays, and whether a
draft tells what its final will be.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from unvek.core.errors import InputError
from unvek.core.evidence.drift import drift_of
from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.judged import MARK
from unvek.core.findings.circumstances import circumstance_notes
from unvek.core.measures.catalogue import COST, LOAD, TIME
from unvek.core.stats.over_launches.launches import Sample, location
from unvek.core.stats.over_tasks.items import score_location
from unvek.core.stats.student import Estimate
from unvek.core.stats.sums import WithEnds, summed, times
from unvek.core.units import counted, few_of

LOOKS_LIKE_ITS_FINAL = 0.5  # on the drift scale: nearer to its own final than half the way to another seed's
NO_TIME: WithEnds = (0.0, 0.0, 0.0)
BY_LIKENESS, BY_MARKS = "likeness", "marks"


@dataclass(frozen=True, slots=True, kw_only=True)
class Session:
    """What a session of drafts and finals takes, with its interval; what finals alone would; what drafts save."""

    value: float
    low: float | None
    high: float | None
    finals_alone: Estimate
    saved: Estimate


@dataclass(frozen=True, slots=True, kw_only=True)
class Foretold:
    """Of how many items a draft tells its final; by: likeness at the same seed, or marks of two seeds of one task."""

    by: str
    count: int
    share: float
    low: float | None
    high: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Budget:
    """A session of so many finals, each chosen among so many drafts.

    pays_from_finals: from how many finals on drafts take less time than finals alone; None where they never do, or that
    is not shown (pays_shown). session has time_s, and cost where there are prices.
    """

    kind: ClassVar[str] = "budget"
    title: str
    drafts: str
    finals: str
    drafts_form: str
    finals_form: str
    wanted: int
    drafts_of_each: int
    session: dict[str, Session]
    currency: str
    pays_from_finals: int | None
    pays_shown: bool
    foretold: Foretold | None
    notes: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class _Takes:
    """What a variant takes of time or money: for a load, and for a run in the mean."""

    load: WithEnds
    run: WithEnds


def budget_of(evidence: Evidence, drafts: str, finals: str, drafts_of_each: int, wanted: int) -> Budget:
    """Return the budget; InputError where one of the two has no finished run.

    The evidence's reference has to be the variant of the finals, so that drafts are held against it.
    """
    forms = {variant.name: variant.form for variant in evidence.variants}
    times_of = {name: _time_of(evidence, name) for name in (drafts, finals)}
    session = {"time_s": _session(times_of[drafts], times_of[finals], drafts_of_each, wanted)}
    if evidence.values.has_costs:
        costs_of = {name: _cost_of(evidence, name, times_of[name]) for name in (drafts, finals)}
        session["cost"] = _session(costs_of[drafts], costs_of[finals], drafts_of_each, wanted)
    pays_from, is_shown = _pays_from(times_of[drafts], times_of[finals], drafts_of_each)
    return Budget(
        title=evidence.plan.title, drafts=drafts, finals=finals, drafts_form=forms[drafts], finals_form=forms[finals],
        wanted=wanted, drafts_of_each=drafts_of_each, session=session, currency=evidence.plan.rig.currency,
        pays_from_finals=pays_from, pays_shown=is_shown, foretold=_foretold(evidence, drafts, finals),
        notes=tuple(_notes(evidence, drafts, finals)),
    )  # fmt: skip


def _time_of(evidence: Evidence, name: str) -> _Takes:
    mine = evidence.runs.of_variant(name)
    run = location(evidence.sample(TIME, mine), averaged=True, pilot=evidence.pilot, logs=False)
    if run is None:
        raise InputError(f"{name} has no finished run, so what it takes is not known")
    load = location(evidence.sample(LOAD, mine), averaged=True, pilot=evidence.pilot, logs=False)
    return _Takes(_parts(load) if load is not None else NO_TIME, _parts(run))


def _cost_of(evidence: Evidence, name: str, takes: _Takes) -> _Takes:
    """What is paid: a run as it is known, and a load for the time that it takes."""
    price = evidence.plan.price_of(name)
    run = evidence.location(COST, evidence.runs.of_variant(name))
    if price is None or run is None:
        raise InputError(f"what {name} costs is not known, though the plan has prices; give it one, too")
    return _Takes(times(takes.load, price.per_second(evidence.plan.rig.hours_per_day)), _parts(run))


def _parts(found: Estimate) -> WithEnds:
    return found.value, found.low, found.high


def _session(drafts: _Takes, finals: _Takes, of_each: int, wanted: int) -> Session:
    """Both variants are loaded once each; every final is made of the best of its drafts."""
    made = [drafts.load, times(drafts.run, of_each * wanted), finals.load, times(finals.run, wanted)]
    alone = [finals.load, times(finals.run, of_each * wanted)]
    # What both have in common is no doubt about which takes less.
    saved = [times(finals.run, (of_each - 1) * wanted), times(drafts.run, -of_each * wanted), times(drafts.load, -1)]
    value, low, high = summed(made)
    return Session(value=value, low=low, high=high, finals_alone=_sum(alone), saved=_sum(saved))


def _sum(parts: list[WithEnds]) -> Estimate:
    value, low, high = summed(parts)
    return Estimate(value=value, low=low, high=high)


def _pays_from(drafts: _Takes, finals: _Takes, of_each: int) -> tuple[int | None, bool]:
    """From how many finals on drafts save time, and whether it is shown that they ever do."""
    value, low, _ = summed([times(finals.run, of_each - 1), times(drafts.run, -of_each)])
    if value <= 0:
        return None, False
    return max(1, math.floor(drafts.load[0] / value) + 1), low is not None and low > 0


def _foretold(evidence: Evidence, drafts: str, finals: str) -> Foretold | None:
    """How often a draft tells its final: by marks of judges where both have them, or else by likeness."""
    return _by_marks(evidence, drafts, finals) or _by_likeness(evidence, drafts)


def _by_likeness(evidence: Evidence, drafts: str) -> Foretold | None:
    """A draft that drifts less than half the way to another seed looks like its own final, and not like another's."""
    likeness = next(iter(evidence.values.likeness_names), None)
    if likeness is None:
        return None
    runs = evidence.runs
    mine = runs.of_variant(drafts) & np.isfinite(evidence.values.of(likeness))
    found = []
    for item in np.unique(runs.item[mine]).tolist():
        drift = drift_of(evidence, likeness, mine & (runs.item == item))
        if drift is not None:
            task = runs.task_codes[mine & (runs.item == item)][0]
            found.append((float(drift.value < LOOKS_LIKE_ITS_FINAL), item, task))
    return _share(found, BY_LIKENESS)


def _by_marks(evidence: Evidence, drafts: str, finals: str) -> Foretold | None:
    """Of two seeds of one task, how often the better draft is the better final; of those that differ in marks."""
    if MARK not in evidence.values.measures:
        return None
    marks, runs = evidence.values.of(MARK), evidence.runs
    by_task: dict[int, dict[int, list[float]]] = {}
    for side, name in enumerate((drafts, finals)):
        for place in np.flatnonzero(runs.of_variant(name) & np.isfinite(marks)).tolist():
            of_seed = by_task.setdefault(int(runs.task_codes[place]), {}).setdefault(
                int(runs.seed[place]), [np.nan] * 2
            )
            if not np.isfinite(of_seed[side]):
                of_seed[side] = float(marks[place])
    found: list[tuple[float, int, int]] = []
    for task, seeds in by_task.items():
        both = [pair for pair in seeds.values() if np.all(np.isfinite(pair))]
        for at, one in enumerate(both):
            for other in both[at + 1 :]:
                apart = [one[side] - other[side] for side in (0, 1)]
                if all(apart):
                    found.append((float((apart[0] > 0) == (apart[1] > 0)), len(found), task))
    return _share(found, BY_MARKS)


def _share(found: list[tuple[float, int, int]], by: str) -> Foretold | None:
    if not found:
        return None
    values, items, tasks = (np.array(column) for column in zip(*found, strict=True))
    nothing = np.zeros(len(values), np.int64)
    share = score_location(Sample(values, nothing, nothing, items, tasks), averaged=True)
    assert share is not None, "there are values"
    return Foretold(by=by, count=len(values), share=share.value, low=share.low, high=share.high)


def _notes(evidence: Evidence, drafts: str, finals: str) -> Iterator[str]:
    tasks = len(np.unique(evidence.runs.task_codes))
    yield f"A run in the mean over these {counted(tasks, 'task')}, stalls counted; other tasks may take more or less."
    unloaded = [name for name in (drafts, finals) if _time_of(evidence, name).load == NO_TIME]
    if unloaded:
        yield f"No load is counted of {few_of(unloaded, 2)}: each run includes it, or it is not known."
    yield from circumstance_notes(evidence)
