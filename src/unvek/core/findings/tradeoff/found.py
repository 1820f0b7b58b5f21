"""What a trade-off has found: plain values, which the table, JSON and the words are made of."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar

BY_NEED, BY_DOUBT, BY_MORE = "need", "doubt", "more"
CLOSE_DRIFT = 0.25  # as near the reference as a pick must be unless the needs say otherwise


@dataclass(frozen=True, slots=True, kw_only=True)
class Count:
    """One of the things traded off; two variants within the margin of each other are even on it."""

    measure: str
    unit: str
    better: str
    margin: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Wished:
    """A measure that the pick is to be good in, with its weight against the others'."""

    measure: str
    weight: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """What would make another variant the pick, or settle whether it is one.

    by: another need (BY_NEED; `bound` is where it begins), what is not known well enough of a measure (BY_DOUBT), or
    how much more of rounds, tasks or verdicts would tell (BY_MORE).
    """

    by: str
    variant: str
    measure: str
    bound: float | None
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class CountFound:
    """Where a variant lies on a count, with its interval over launches (of scores over tasks, where that is wider)."""

    typical: float | None
    low: float | None
    high: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class TradeoffRow:
    """One variant: what it takes and gives, whether it is on the frontier, and who beats it.

    probability: that it is on the frontier; None where it rests on one launch, or on one task. even_with: variants that
    differ from it by no more than the margin on every count. unmet: needs that it does not meet; not_shown: such as it
    meets in the middle only, or may meet, and why. not_judged: why it can't be held against the others, if it can't.
    merit: how much better than the reference it is in what is wished for, in margins. held_against: what is unfair
    about its comparison, or that it fails too often.
    """

    variant: str
    form: str
    values: Mapping[str, CountFound]
    drift: float | None
    drift_low: float | None
    drift_high: float | None
    on_frontier: bool
    probability: float | None
    beaten_by: tuple[str, ...]
    even_with: tuple[str, ...]
    unmet: tuple[str, ...]
    not_shown: tuple[str, ...]
    why_not_shown: tuple[str, ...]
    not_judged: tuple[str, ...]
    merit: float | None = None
    held_against: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Tradeoff:
    """The frontier over the counts, and the pick with its reason.

    `ties` may be as good as the pick in what is wished for, or better; `undecided` are not shown to meet what is
    needed, nor not to. `changes` say what would make another the pick.
    """

    kind: ClassVar[str] = "tradeoff"
    title: str
    reference: str
    counts: tuple[Count, ...]
    rows: tuple[TradeoffRow, ...]
    pick: str | None
    because: str
    ties: tuple[str, ...]
    runner_up: str | None
    notes: tuple[str, ...]
    needs: tuple[str, ...] = ()
    wishes: tuple[Wished, ...] = ()
    undecided: tuple[str, ...] = ()
    changes: tuple[Change, ...] = ()
