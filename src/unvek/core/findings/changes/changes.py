"""The same variants before and after: times apart, scores item by item, and what is made otherwise now."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from unvek.core.errors import InputError
from unvek.core.evidence.counted_runs import Whole
from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.changes.found import LAUNCHES, SESSIONS, ChangedRow, ChangeFound, Changes
from unvek.core.findings.comparison.answers import answer_of, ratio_found
from unvek.core.findings.tradeoff.needs import failure_share
from unvek.core.logbook.rows import LaunchRow
from unvek.core.measures.catalogue import COST, MODEL_MEMORY, PEAK_MEMORY, TIME
from unvek.core.measures.definition import LESS, Measure
from unvek.core.rig.facts import rig_words
from unvek.core.run.events.record import FAILURES, OUTCOMES
from unvek.core.stats.over_launches.apart import Sides, ratios_apart
from unvek.core.stats.over_launches.launches import Ratio, Sample
from unvek.core.stats.over_tasks.items import score_ratios
from unvek.core.units import counted, few_of

FEWEST_SESSIONS = 3  # before, that tell how much sessions differ among themselves
MOVED_FROM = 0.01  # of all variants' times together, below which nothing is said of it


def changes_between(before: Evidence, after: Evidence, words: tuple[str, str], rigs: tuple[Any, Any]) -> Changes:
    """Return what has changed; words say which runs are on each side. InputError where no variant is on both."""
    names = [v.name for v in after.variants if any(v.name == one.name for one in before.variants)]
    names = [name for name in names if all(np.any(side.runs.of_variant(name)) for side in (before, after))]
    if not names:
        raise InputError("no variant has runs both before and after, so nothing can be held against each other")
    sessions = len(np.unique(before.runs.session))
    over = SESSIONS if sessions >= FEWEST_SESSIONS else LAUNCHES
    sides = _both_sides(before, after, over)
    measures = [after.values.measure(name) for name in _measures(before, after)]
    if not measures:
        raise InputError("nothing is known both before and after: no run finished on one of the sides")
    ratios = {one.name: _ratios(*sides, one.name, names) for one in measures}
    rows = tuple(
        ChangedRow(
            variant=name,
            form=next(v.form for v in after.variants if v.name == name),
            measures={one.name: _change(before, after, one, name, ratios[one.name].get(name)) for one in measures},
            **_failures(before, after, name),
            made_otherwise=tuple(_made_otherwise(before, after, name)),
        )
        for name in names
    )
    fingerprints = [set(side.runs.rows.column("rig")) for side in (before, after)]
    moved = _moved_alike(*sides, names, over)
    return Changes(
        title=after.plan.title, before=words[0], after=words[1], rigs=rigs, same_rig=fingerprints[0] == fingerprints[1],
        quality=after.quality, over=over, rows=rows, moved_alike=ratio_found(moved),
        notes=tuple(_notes(before, after, sessions, moved, fingerprints[0] == fingerprints[1], rigs)),
    )  # fmt: skip


def _measures(before: Evidence, after: Evidence) -> list[str]:
    names = [TIME, *after.values.score_names, MODEL_MEMORY, PEAK_MEMORY, COST]
    known = [name for name in names if name in after.values.measures and name in before.values.measures]
    known = [name for name in known if before.values.has(name) and after.values.has(name)]
    if MODEL_MEMORY in known:
        known = [name for name in known if name != PEAK_MEMORY]
    return [name for name in known if after.values.measure(name).better is not None]


# ---- both sides by the same numbers ----


@dataclass(frozen=True, slots=True)
class _Side:
    """One side's evidence, with (runs,) numbers for items and tasks that are the same on both."""

    evidence: Evidence
    items: Whole
    tasks: Whole
    units: Whole  # what intervals of times are over: sessions, or launches

    def sample(self, name: str, variant: str) -> Sample:
        """A variant's runs as one round: sides pair by item alone."""
        mine = self.evidence.runs.of_variant(variant)
        nothing = np.zeros(np.count_nonzero(mine), np.int64)
        values, unseen = self.evidence.values.of(name)[mine], self.evidence.unseen(name, mine)
        return Sample(values, nothing, nothing, self.items[mine], self.tasks[mine], unseen)


def _both_sides(before: Evidence, after: Evidence, over: str) -> tuple[_Side, _Side]:
    items: dict[Any, int] = {}
    tasks: dict[str, int] = {}

    def side(evidence: Evidence) -> _Side:
        rows = evidence.runs.rows
        names = rows.column("task")
        keys = zip(names, rows.column("seed"), map(repr, rows.column("varied")), strict=True)
        return _Side(
            evidence,
            np.array([items.setdefault(key, len(items)) for key in keys], np.int64),
            np.array([tasks.setdefault(name, len(tasks)) for name in names], np.int64),
            evidence.runs.session if over == SESSIONS else evidence.runs.launch,
        )

    return side(before), side(after)


def _ratios(before: _Side, after: _Side, name: str, names: list[str]) -> Mapping[str, Ratio]:
    values = after.evidence.values
    if values.is_score(name):
        pairs = {one: (after.sample(name, one), before.sample(name, one)) for one in names}
        return score_ratios(pairs, averaged=values.is_averaged(name))
    return ratios_apart({one: _sides(before, after, name, one) for one in names})


def _sides(before: _Side, after: _Side, name: str, variant: str) -> Sides:
    later, earlier = (side.units[side.evidence.runs.of_variant(variant)] for side in (after, before))
    return Sides(after.sample(name, variant), before.sample(name, variant), later, earlier)


def _moved_alike(before: _Side, after: _Side, names: list[str], over: str) -> Ratio | None:
    """By how much the times of all variants moved together: what moves all alike is the machine, mostly."""
    if len(names) < 2:
        return None
    many = 1 + int(max(before.items.max(), after.items.max()))

    def together(side: _Side) -> tuple[Sample, Whole]:
        runs = side.evidence.runs
        these = np.any([runs.of_variant(name) for name in names], axis=0)
        variants = runs.rows.column("variant")
        places = np.array([names.index(name) if name in names else -1 for name in variants], np.int64)
        # A launch is of one variant; a round of a session holds all of them.
        units = runs.session if over == SESSIONS else runs.session * (1 + int(runs.round.max())) + runs.round
        nothing = np.zeros(np.count_nonzero(these), np.int64)
        values, unseen = side.evidence.values.of(TIME)[these], side.evidence.unseen(TIME, these)
        items = (places * many + side.items)[these]
        return Sample(values, nothing, nothing, items, unseen=unseen), units[these]

    (later, later_units), (earlier, earlier_units) = together(after), together(before)
    return ratios_apart({"": Sides(later, earlier, later_units, earlier_units)}).get("")


# ---- rows ----


def _change(before: Evidence, after: Evidence, measure: Measure, name: str, ratio: Ratio | None) -> ChangeFound:
    places = [side.location(measure.name, side.runs.of_variant(name)) for side in (before, after)]
    margin = after.margin(measure.name)
    share = margin.share_of(places[0].value if places[0] is not None else None)
    is_sure_of_nothing = ratio is not None and ratio.low_together == ratio.high_together and ratio.value != 1
    answer = answer_of(measure, ratio, share)
    worse = ratio is not None and (ratio.value > 1 + share if measure.better == LESS else ratio.value < 1 - share)
    if after.values.is_score(measure.name) and is_sure_of_nothing:
        # The same outputs of every item, all moved alike: of these tasks it is so.
        answer = "worse" if worse else answer
    return ChangeFound(
        unit=measure.unit, before=places[0].value if places[0] is not None else None,
        after=places[1].value if places[1] is not None else None, ratio=ratio_found(ratio), answer=answer,
        is_worse=worse and answer in ("slower", "worse"), margin=margin.words,
    )  # fmt: skip


def _failures(before: Evidence, after: Evidence, name: str) -> dict[str, Any]:
    """Failures of both sides, and whether the later ones are shown to be more."""
    counts, shares = [], []
    for side in (before, after):
        mine = side.runs.of_variant(name)
        status = side.runs.status.take(mine)
        outcomes = status.where(lambda status: status in OUTCOMES)
        failed = status.where(lambda status: status in FAILURES) & outcomes
        counts.append((int(np.count_nonzero(failed)), int(np.count_nonzero(outcomes))))
        shares.append(failure_share(side, mine))
    fails_more = (shares[1].low or 0.0) > (1.0 if shares[0].high is None else shares[0].high)
    return {"failures_before": counts[0], "failures_after": counts[1], "fails_more": fails_more}


def _made_otherwise(before: Evidence, after: Evidence, name: str) -> Iterator[str]:
    """Say what a variant is made of or run by now and was not before: files by digest, interpreter, packages."""
    (launch, made_of), (later_launch, later_made_of) = (_latest(side, name) for side in (before, after))
    if made_of is not None and later_made_of is not None:
        for earlier, later in ((made_of.files, later_made_of.files), (made_of.script, later_made_of.script)):
            known = {_name(path): digest for path, digest in (earlier or {}).items()}
            now = {_name(path): digest for path, digest in (later or {}).items()}
            changed = [path for path, digest in now.items() if path in known and known[path] != digest]
            new = [path for path in now if known and path not in known]
            if changed:
                yield f"{few_of(changed, 4)}: another content"
            if new:
                yield f"{few_of(new, 4)}: was not there"
    if launch is None or later_launch is None:
        return
    if launch.about.python != later_launch.about.python and launch.about.python and later_launch.about.python:
        yield f"Python {later_launch.about.python}, was {launch.about.python}"
    known_packages, packages = launch.about.packages or {}, later_launch.about.packages or {}
    for package in sorted({*known_packages, *packages} if known_packages and packages else ()):
        was, is_now = known_packages.get(package), packages.get(package)
        if was != is_now:
            yield f"{package} {is_now or 'is gone'}, was {was or 'not there'}"


def _name(path: str) -> str:
    return path.rpartition("/")[2]


def _latest(side: Evidence, name: str) -> tuple[LaunchRow | None, Any]:
    launches = [number for number, launch in side.runs.launches.items() if launch.variant == name]
    latest = max(launches, default=None)
    if latest is None:
        return None, None
    return side.runs.launches[latest], side.made_of.get(latest)


def _notes(
    before: Evidence, after: Evidence, sessions: int, moved: Ratio | None, same_rig: bool, rigs: tuple[Any, Any]
) -> Iterator[str]:
    if not same_rig:
        words = f"before {rig_words(rigs[0])}; now {rig_words(rigs[1])}"
        yield f"Another machine: {words}. Times may differ for that alone."
    if sessions >= FEWEST_SESSIONS:
        yield f"Intervals of times are over sessions: {sessions} before tell how much these differ among themselves."
    else:
        within = counted(sessions, "session")
        yield (f"Intervals of times are over launches within {within} before: by how much sessions differ where "
               f"nothing has changed is not in them. From {FEWEST_SESSIONS} sessions before on it is.")  # fmt: skip
    if moved is not None and moved.low is not None and moved.high is not None:
        by = 100 * (moved.value - 1)
        if abs(moved.value - 1) > MOVED_FROM and (moved.low > 1 or moved.high < 1):
            said = f"{abs(by):.2g} % {'more' if by > 0 else 'less'} time"
            yield f"All variants together take {said} now: that may be the machine, and not the variants."
    gone = [v.name for v in before.variants if all(v.name != one.name for one in after.variants)]
    if gone:
        yield f"Not there any more: {few_of(gone, 6)}."
