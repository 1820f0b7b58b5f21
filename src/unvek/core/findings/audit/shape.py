"""How times lie: launches that fall into two groups, and runs that take quite another time than their like."""

import math
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence

import numpy as np

from unvek.core.digits import column_scale
from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.audit.confounder import DOUBT, NOTE, Confounder
from unvek.core.logbook.rows import RunRow
from unvek.core.measures.catalogue import TIME
from unvek.core.run.events.record import DISTURBED_FROM
from unvek.core.stats.grouping import Floats, Whole, group_medians, numbered
from unvek.core.stats.over_launches.launches import level_by_launch
from unvek.core.stats.over_launches.shape import two_groups
from unvek.core.units import counted

MANY_SHARE = 0.1  # of a variant's runs, from which on what is wrong with them is no side matter
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


def apart_from_usual(evidence: Evidence) -> tuple[Whole, Floats]:
    """Return the places of the runs whose time is known, and how far the logarithm of each is from its like's usual."""
    times = evidence.values.of(TIME)
    places = np.flatnonzero(np.isfinite(times) & (times > 0))
    groups, count = numbered(evidence.runs.variant[places], evidence.runs.item[places])
    logs = np.log(times[places])
    return places, logs - group_medians(logs, groups, count)[groups]


def _outliers(evidence: Evidence, groups: Mapping[str, Mapping[int, float]]) -> Iterator[Confounder]:
    """Name the runs far from others of their item, once what sets a whole launch apart is taken away."""
    places, apart = apart_from_usual(evidence)
    modes = {launch: level for of_launches in groups.values() for launch, level in of_launches.items()}
    if modes:
        of_launch = np.array([modes.get(launch, 0.0) for launch in evidence.runs.launch[places].tolist()])
        apart = apart - of_launch
    cells, count = numbered(evidence.runs.variant[places], evidence.runs.item[places])
    if modes:
        apart -= group_medians(apart, cells, count)[cells]
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
    by_variant: dict[str, list[RunRow]] = defaultdict(list)
    for at in places[np.flatnonzero(far)].tolist():
        row = evidence.runs.rows[at]
        by_variant[row.variant].append(row)
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
    return Confounder(
        code="long-tail", severity=DOUBT, variants=(name,),
        text=f"Of {name} {len(rows)} of {counted(of, 'run')} took {factor} times as long as others of the same item: "
             f"{numbers_words({name: rows})}{_cause(rows)}.",
        why="A typical run says nothing of these; whoever waits for one does.",
        mend="Read the mean and the 95th percentile beside it ('compare --as json' has both); 'unvek show RUN' says "
             "what went on.",
    )  # fmt: skip


def _cause(rows: Sequence[RunRow]) -> str:
    caused = sum(taken_by_others(row) >= DISTURBED_FROM for row in rows)
    return f"; in {caused} of them something else kept the machine busy" if caused else "; nothing seen says why"


def taken_by_others(row: RunRow) -> float:
    return (row.others_share or 0.0) + (row.stolen_share or 0.0)


def numbers_words(found: Mapping[str, Sequence[RunRow]]) -> str:
    """Name the runs of each variant; of many the first."""
    words = []
    for name, rows in found.items():
        numbers = [str(row.number) for row in rows[:MOST_NAMED]]
        words.append(
            f"{name} {', '.join(numbers)}{f' and {len(rows) - MOST_NAMED} more' if len(rows) > MOST_NAMED else ''}"
        )
    return "; ".join(words)
