"""What a trade-off has found: plain values, which the table, JSON and the words are made of."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar

CLOSE_DRIFT = 0.25  # as near the reference as a pick must be unless the needs say otherwise


@dataclass(frozen=True, slots=True, kw_only=True)
class Count:
    """One of the things traded off; two variants within the margin of each other are even on it."""

    measure: str
    unit: str
    better: str
    margin: str


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


@dataclass(frozen=True, slots=True, kw_only=True)
class Tradeoff:
    """The frontier over the counts, and the pick with its reason; `ties` may be as fast as the pick, or faster."""

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
