"""What judges said of the runs that count, as measures: wins against the reference, marks, and what is there of what
tasks expect.

They are worked out from the verdicts whenever results are read, so that a verdict that is taken out counts nowhere. A
plain name is of people where any has judged, else of the model or program that judged first; with a judge's name behind
it ("wins.gardener") it is of that one, as the judge was made of last: with other instructions it was another judge.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from unvek.core.evidence.counted_runs import CountedRuns, Floats
from unvek.core.logbook.verdict_rows import (
    EVEN,
    LEFT,
    MARKS,
    NEITHER,
    PAIRS,
    PERSON,
    POINTS,
    RIGHT,
    JudgeRow,
    VerdictRow,
)
from unvek.core.measures.definition import Measure
from unvek.core.measures.kinds import KINDS
from unvek.core.measures.points import POINTS as WORTH

WINS, MARK, EXPECT = "wins", "mark", "expect"
ASKED_FOR = {WINS: PAIRS, MARK: MARKS, EXPECT: POINTS}
PEOPLE = "people"
HALF = 0.5


@dataclass(frozen=True)
class Judged:
    """The logbook's verdicts as values of the runs that count. `reference` is the variant that wins are against."""

    runs: CountedRuns
    reference: str
    every_verdict: Sequence[VerdictRow]
    judges: Mapping[int, JudgeRow]

    @cached_property
    def verdicts(self) -> tuple[VerdictRow, ...]:
        """Those that nobody has taken out."""
        return tuple(one for one in self.every_verdict if one.voided is None)

    @cached_property
    def measures(self) -> Mapping[str, Measure]:
        """Every measure that verdicts give, by name."""
        found = {}
        for kind in ASKED_FOR:
            for group in self.groups(kind):
                for name in (kind, f"{kind}.{group}"):
                    found[name] = KINDS[kind].definition().measure(name)
        return found

    def groups(self, kind: str) -> dict[str, list[VerdictRow]]:
        """Return who has given verdicts of this kind: people together first, others by their names, with these."""
        found: dict[str, list[VerdictRow]] = {}
        newest = {judge.name: judge.number for judge in self.judges.values() if judge.sort != PERSON}
        said = (
            one
            for one in self.verdicts
            if one.asks == ASKED_FOR[kind]
            and one.answer is not None
            and (self.judges[one.judge].sort == PERSON or newest[self.judges[one.judge].name] == one.judge)
        )
        for one in sorted(said, key=lambda one: (self.judges[one.judge].sort != PERSON, one.judge)):
            judge = self.judges[one.judge]
            found.setdefault(PEOPLE if judge.sort == PERSON else judge.name, []).append(one)
        return found

    def who(self, name: str) -> str:
        """Return whom a measure is by, in words; empty where nobody has judged."""
        kind, _, group = name.partition(".")
        groups = self.groups(kind)
        chosen = group or next(iter(groups), "")
        if chosen != PEOPLE:
            simulated = any(self.judges[one.judge].simulated for one in groups.get(chosen, ()))
            return f"{chosen}, simulated" if simulated else chosen
        names = dict.fromkeys(self.judges[one.judge].name for one in groups.get(PEOPLE, ()))
        return f"{PEOPLE} ({', '.join(names)})"

    @staticmethod
    def favoured(verdict: VerdictRow) -> int | None:
        """Return the run that a verdict is for: the one that was taken, or the only one; None where none was taken."""
        if verdict.asks != PAIRS:
            return verdict.left_run
        return {LEFT: verdict.left_run, RIGHT: verdict.right_run}.get(verdict.answer)

    def points(self) -> Mapping[int, Mapping[str, float]]:
        """Return by run how much of each thing is there that its task expects, as the first of the groups sees it."""
        said: dict[int, dict[str, list[float]]] = {}
        for one in next(iter(self.groups(EXPECT).values()), []):
            for thing, word in one.answer.items():
                if word in WORTH:
                    said.setdefault(one.left_run, {}).setdefault(thing, []).append(WORTH[word])
        return {
            run: {thing: sum(values) / len(values) for thing, values in things.items()} for run, things in said.items()
        }

    def of(self, kind: str, group: str = "") -> Floats:
        """Return a value of each run (NaN where nobody has said anything of it)."""
        groups = self.groups(kind)
        verdicts = groups.get(group or next(iter(groups), ""), [])
        said: dict[int, list[float]] = {}
        for one in verdicts:
            for run, value in self._values(kind, one):
                said.setdefault(run, []).append(value)
        values = np.full(len(self.runs), np.nan)
        for place, run in enumerate(self.runs.number.tolist()):
            if run in said:
                values[place] = sum(said[run]) / len(said[run])
        values[~self.runs.finished] = np.nan
        return values

    def _values(self, kind: str, verdict: VerdictRow) -> list[tuple[int, float]]:
        if kind == WINS:
            return self._wins(verdict)
        if kind == MARK:
            return [(verdict.left_run, float(verdict.answer))]
        known = [WORTH[word] for word in verdict.answer.values() if word in WORTH]
        return [(verdict.left_run, sum(known) / len(known))] if known else []

    def _wins(self, verdict: VerdictRow) -> list[tuple[int, float]]:
        """Of a pair with the reference: what the other one won, a tie being half; the reference is even with itself."""
        left, right = verdict.left_run, verdict.right_run
        names = self._variants
        if left not in names or right not in names or right is None or names[left] == names[right]:
            return []
        if self.reference not in (names[left], names[right]):
            return []
        won = HALF if verdict.answer in (EVEN, NEITHER) else float(verdict.answer == LEFT)
        if names[left] == self.reference:
            return [(right, 1 - won), (left, HALF)]
        return [(left, won), (right, HALF)]

    @cached_property
    def _variants(self) -> Mapping[int, str]:
        names = [variant.name for variant in self.runs.variants]
        return {
            run: names[place] for run, place in zip(self.runs.number.tolist(), self.runs.variant.tolist(), strict=True)
        }
