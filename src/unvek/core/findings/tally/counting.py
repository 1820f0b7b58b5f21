"""Which verdicts count in a tally, and what each says: of which variants, of which item, by whom."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.judged import PEOPLE
from unvek.core.judging.outputs import Item, item_of
from unvek.core.logbook.rows import RunRow
from unvek.core.logbook.verdict_rows import EVEN, LEFT, NEITHER, PAIRS, PERSON, JudgeRow, VerdictRow
from unvek.core.stats.judged import ratings
from unvek.core.stats.judged.ratings import PairVerdicts, clusters_of

TASKS, ITEMS = "tasks", "items"
SAID = {LEFT: ratings.LEFT, EVEN: ratings.EVEN, NEITHER: ratings.EVEN}


@dataclass(frozen=True, slots=True, kw_only=True)
class Said:
    """A verdict that counts, with the runs that it is of."""

    verdict: VerdictRow
    judge: JudgeRow
    left: RunRow
    right: RunRow | None

    @property
    def item(self) -> Item:
        return item_of(self.left)

    @property
    def is_of_one_output(self) -> bool:
        """Whether one output was shown on both sides."""
        return self.right is not None and self.verdict.left_run == self.verdict.right_run

    @property
    def is_of_two(self) -> bool:
        """Whether it says which of two variants' outputs is better."""
        return (
            self.verdict.asks == PAIRS
            and self.verdict.answer is not None
            and self.right is not None
            and self.right.variant != self.left.variant
        )

    @property
    def said_left(self) -> int:
        """What was said of the left one: won, even or lost."""
        return SAID.get(self.verdict.answer, ratings.RIGHT)


@dataclass(frozen=True, slots=True, kw_only=True)
class Counted:
    """The verdicts that count; how many were taken out, and are of runs that do not count."""

    said: tuple[Said, ...]
    voided: int
    of_other_runs: int


def counted_verdicts(evidence: Evidence) -> Counted:
    """Return the verdicts on runs that count."""
    judged, rows = evidence.values.judged, {row.number: row for row in evidence.runs.rows}
    voided, found, others = len(judged.every_verdict) - len(judged.verdicts), [], 0
    for verdict in judged.verdicts:
        if not all(run in rows for run in verdict.runs):
            others += 1
        else:
            right = rows[verdict.right_run] if verdict.right_run is not None else None
            found.append(
                Said(verdict=verdict, judge=judged.judges[verdict.judge], left=rows[verdict.left_run], right=right)
            )
    return Counted(said=tuple(found), voided=voided, of_other_runs=others)


def in_groups(said: Sequence[Said]) -> Mapping[tuple[str, str], list[Said]]:
    """Return the verdicts of people together, and of each other judge apart, by name and sort; people first."""
    groups: dict[tuple[str, str], list[Said]] = {}
    names = {one.judge.name for one in said if one.judge.sort != PERSON}
    versions = {name: sorted({one.judge.number for one in said if one.judge.name == name}) for name in names}
    for one in sorted(said, key=lambda one: (one.judge.sort != PERSON, one.judge.number)):
        name = PEOPLE if one.judge.sort == PERSON else one.judge.name
        if name != PEOPLE and len(versions[name]) > 1:  # another template is another judge
            name = f"{name} ({one.judge.digest[:6]})"
        groups.setdefault((name, one.judge.sort), []).append(one)
    return groups


def cluster_of(said: Sequence[Said]) -> tuple[str, list[object]]:
    """Return what verdicts that go together are of: tasks, or the items of the only one there is."""
    tasks = [one.left.task for one in said]
    if len(set(tasks)) > 1:
        return TASKS, list(tasks)
    return ITEMS, [one.item for one in said]


def as_pairs(said: Sequence[Said], places: Mapping[str, int]) -> PairVerdicts:
    """Return verdicts on pairs as arrays; places: the number of each variant."""
    rights = [one.right for one in said if one.right is not None]
    return PairVerdicts(
        left=np.array([places[one.left.variant] for one in said], np.int64),
        right=np.array([places[right.variant] for right in rights], np.int64),
        said=np.array([one.said_left for one in said], np.int64),
        cluster=clusters_of(cluster_of(said)[1]),
    )
