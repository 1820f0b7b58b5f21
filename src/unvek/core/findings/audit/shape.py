"""How times lie: launches that fall into two groups, and runs that take quite another time than their like."""

import math
from collections.abc import Iterator, Mapping, Sequence
from types import MappingProxyType

import numpy as np

from unvek.core.digits import column_scale
from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.audit.confounder import DOUBT, NOTE, Confounder
from unvek.core.findings.audit.which_runs import MANY_SHARE, numbers_words, rows_by_variant, taken_by_others
from unvek.core.logbook.rows import RunRow
from unvek.core.measures.catalogue import TIME
from unvek.core.run.events.record import DISTURBED_FROM
from unvek.core.stats.grouping import Floats, Whole, group_medians, numbered
from unvek.core.stats.over_launches.launches import level_by_launch
from unvek.core.stats.over_launches.shape import two_groups
from unvek.core.units import counted

OUTLIER_FACTOR, OUTLIER_DEVIATIONS = 1.2, 5.0
LONG_FACTOR = 1.5  # from which on many such runs are a tail that matters
FEWEST_RUNS = 2  # of the smaller group of launches
MOST_NAMED = 4


def shape_findings(evidence: Evidence) -> Iterator[Confounder]:
    groups = {variant.name: found for variant in evidence.variants if (found := _groups(evidence, variant.name))}
    yield from _modes(evidence, groups)
    yield from _outliers(evidence, groups)


def _groups(evidence: Evidence, name: str) -> dict[int, float] | None:
    """Return of each launch of a variant that falls into two groups the logarithm of its group's time, by number.

    A single run that lies apart makes no group: it may be that run alone.
    """
    sample = evidence.sample(TIME, evidence.runs.of_variant(name)).known()
    levels = level_by_launch(sample)
    found = two_groups(np.array(list(levels.values())))
    if found is None or found.upper - found.lower < math.log1p(evidence.margin(TIME).share_of(None)):
        return None
    upper = [launch for launch, is_upper in zip(levels, found.is_upper.tolist(), strict=True) if is_upper]
    in_upper = np.isin(sample.launches, upper)
    if min(np.count_nonzero(in_upper), np.count_nonzero(~in_upper)) < FEWEST_RUNS:
        return None
    return {launch: found.upper if launch in upper else found.lower for launch in levels}


def _modes(evidence: Evidence, groups: Mapping[str, Mapping[int, float]]) -> Iterator[Confounder]:
    for name, of_launches in groups.items():
        (fast, fast_count), (slow, slow_count) = sorted(
            (level, list(of_launches.values()).count(level)) for level in set(of_launches.values())
        )
        takes = column_scale("s", [(math.exp(level), None, None) for level in (fast, slow)])
        fewer = slow if slow_count <= fast_count else fast
        named = [str(launch) for launch, level in of_launches.items() if level == fewer][:MOST_NAMED]
        yield Confounder(
            code="two-modes", severity=DOUBT, variants=(name,),
            text=f"Launches of {name} fall into two groups: {fast_count} in which a run takes "
                 f"{takes.with_unit(math.exp(fast))}, {slow_count} in which it takes "
                 f"{takes.with_unit(math.exp(slow))}, {100 * math.expm1(slow - fast):.0f} % more.",
            why="A mode that comes and goes: what is shown of it lies between the two, where hardly a run does, and "
                "another few launches may be mostly of the other.",
            mend=f"Launch {', '.join(named)} is among the fewer: what differs there (placement of memory, clock, "
                 "another process)? More rounds tell how often each comes.",
        )  # fmt: skip


def apart_from_usual(
    evidence: Evidence, of_launches: Mapping[int, float] = MappingProxyType({})
) -> tuple[Whole, Floats]:
    """Return the places of the runs whose time is known, and how far the logarithm of each is from its like's usual.

    of_launches: what is known to set whole launches apart, by number: it is taken away first.
    """
    times = evidence.values.of(TIME)
    places = np.flatnonzero(np.isfinite(times) & (times > 0))
    logs = np.log(times[places])
    if of_launches:
        logs -= [of_launches.get(launch, 0.0) for launch in evidence.runs.launch[places].tolist()]
    cells, count = numbered(evidence.runs.variant[places], evidence.runs.item[places])
    return places, logs - group_medians(logs, cells, count)[cells]


def _outliers(evidence: Evidence, groups: Mapping[str, Mapping[int, float]]) -> Iterator[Confounder]:
    """Name the runs far from others of their item, once what sets a whole launch apart is taken away."""
    modes = {launch: level for of_launches in groups.values() for launch, level in of_launches.items()}
    places, apart = apart_from_usual(evidence, modes)
    cells, count = numbered(evidence.runs.variant[places], evidence.runs.item[places])
    usual = group_medians(np.abs(apart), cells, count)[cells]
    far = (np.abs(apart) > math.log(OUTLIER_FACTOR)) & (np.abs(apart) > OUTLIER_DEVIATIONS * 1.4826 * usual)
    of_variants = evidence.runs.variant[places]
    for place, variant in enumerate(evidence.variants):
        mine = of_variants == place
        found = np.flatnonzero(far & mine & (apart > math.log(LONG_FACTOR)))
        if len(found) >= max(2, MANY_SHARE * np.count_nonzero(mine)):
            far[found] = False
            rows = [evidence.runs.rows[at] for at in places[found].tolist()]
            yield _tail(variant.name, rows, np.exp(apart[found]), int(np.count_nonzero(mine)))
    by_variant = rows_by_variant(evidence, places[far])
    if by_variant:
        every = [row for rows in by_variant.values() for row in rows]
        yield Confounder(
            code="outliers", severity=NOTE, variants=tuple(by_variant),
            text=f"{counted(len(every), 'run')} took quite another time than others of the same item: "
                 f"{numbers_words(by_variant)}{_cause(every)}.",
            why="Where an item is run several times in a launch they are hardly felt, but they may be worth a look.",
            mend="See 'unvek show RUN'; void a run only for a reason that has nothing to do with its time.",
        )  # fmt: skip


def _tail(name: str, rows: Sequence[RunRow], factors: Floats, of: int) -> Confounder:
    """Say of a variant of which many runs take quite another time how many, and how long."""
    least, most = float(np.min(factors)), float(np.max(factors))
    factor = f"{least:.2g}" if f"{least:.2g}" == f"{most:.2g}" else f"{least:.2g} to {most:.2g}"
    said = f"Of {name} {len(rows)} of {counted(of, 'run')} took {factor} times as long as others of the same item"
    return Confounder(
        code="long-tail", severity=DOUBT, variants=(name,),
        text=f"{said}: {numbers_words({name: rows})}{_cause(rows)}.", brief=f"{said}{_cause(rows)}.",
        why="A typical run says nothing of these; whoever waits for one does.",
        mend="Read the mean and the 95th percentile beside it ('compare --as json' has both); 'unvek show RUN' says "
             "what went on.",
    )  # fmt: skip


def _cause(rows: Sequence[RunRow]) -> str:
    caused = sum(taken_by_others(row) >= DISTURBED_FROM for row in rows)
    return f"; in {caused} of them something else kept the machine busy" if caused else "; nothing seen says why"
