"""What a tally has, as plain values."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import ClassVar

from unvek.core.logbook.verdict_rows import LEFT, RIGHT
from unvek.core.stats.student import Estimate

BETTER, WORSE, SAME, UNCLEAR = "better", "worse", "same", "unclear"


@dataclass(frozen=True, slots=True, kw_only=True)
class Share:
    """So many of so many, with the exact interval; value is None of none."""

    count: int
    of: int
    value: float | None
    low: float | None
    high: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class JudgeTold:
    """Somebody who has judged.

    self_agreement: of questions that came again, how many got the same answer, whichever side it stood on. steadiness:
    of pairs that showed one output twice, how many were called even. doubted: verdicts that an output may have talked
    the judge into.
    """

    judge: str
    sort: str
    simulated: bool
    verdicts: int
    unreadable: int
    doubted: int
    self_agreement: Share
    steadiness: Share
    took_s: float | None
    usage: Mapping[str, float]


@dataclass(frozen=True, slots=True, kw_only=True)
class VariantTold:
    """A variant: how often it wins against the reference (ties half), by the ratings; and what was said of it."""

    variant: str
    form: str
    rating: float | None
    low: float | None
    high: float | None
    low_together: float | None
    high_together: float | None
    wins: int
    ties: int
    losses: int


@dataclass(frozen=True, slots=True, kw_only=True)
class PairTold:
    """Two variants, as often as they were shown together.

    same: how often both had put out the same, so that nobody was asked; that counts as even.
    winning: how often the first wins; winning_together: with the interval that holds for all pairs of a group together,
    by which the answer goes. more: about how many verdicts more would tell, where nothing is told.
    """

    variants: tuple[str, str]
    wins: tuple[int, int]
    ties: int
    neither: int
    same: int
    winning: Estimate | None
    winning_together: Estimate | None
    answer: str
    more: int | None

    def turned(self) -> "PairTold":
        """Return the same, told of the second variant."""
        return replace(
            self, variants=self.variants[::-1], wins=self.wins[::-1], winning=_turned(self.winning),
            winning_together=_turned(self.winning_together),
            answer={BETTER: WORSE, WORSE: BETTER}.get(self.answer, self.answer),
        )  # fmt: skip


def _turned(share: Estimate | None) -> Estimate | None:
    if share is None:
        return None
    low, high = (None if end is None else 1 - end for end in (share.high, share.low))
    return Estimate(value=1 - share.value, low=low, high=high)


@dataclass(frozen=True, slots=True, kw_only=True)
class Position:
    """How often the left one of two equals is taken, of those times when one is."""

    left_share: float
    low: float | None
    high: float | None

    @property
    def side(self) -> str | None:
        """The side that is taken more often; None where that is not told."""
        if self.low is None or self.high is None or self.low <= 0.5 <= self.high:
            return None
        return LEFT if self.low > 0.5 else RIGHT

    def of_side(self) -> tuple[float, float, float]:
        """Return how often the side is taken that is taken more often, with its interval."""
        low, high = self.low or 0.0, self.high or 1.0
        return (1 - self.left_share, 1 - high, 1 - low) if self.side == RIGHT else (self.left_share, low, high)


@dataclass(frozen=True, slots=True, kw_only=True)
class Agreement:
    """Krippendorff's alpha of what judges said of the same pairs."""

    alpha: float
    low: float | None
    high: float | None
    pairs: int


@dataclass(frozen=True, slots=True, kw_only=True)
class AgainstPeople:
    """How a model agrees with people: of pairs that people judged, how many it sees as most of them do."""

    same: Share
    agreement: Agreement | None


@dataclass(frozen=True, slots=True, kw_only=True)
class ThingTold:
    """What was said of one thing that a task expects, of one variant's outputs. share: partly is half."""

    variant: str
    task: str
    thing: str
    there: int
    partly: int
    missing: int
    unsure: int
    share: float | None
    low: float | None
    high: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class ExpectTold:
    """How much of what tasks expect is there, of one variant's outputs: the mean share, with its interval."""

    variant: str
    form: str
    there: int
    partly: int
    missing: int
    unsure: int
    share: float
    low: float | None
    high: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class MarkTold:
    variant: str
    form: str
    verdicts: int
    mark: float
    low: float | None
    high: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class GroupTold:
    """What people say together, or one model or program.

    over: what the intervals are over, tasks or items. ask_next: variants of which most would be learned from a few more
    pairs with the reference, the quickest first. longer_wins: of texts, how often the longer one is taken.
    """

    of: str
    sort: str
    simulated: bool
    verdicts: int
    over: str
    sentences: tuple[str, ...]
    ask_next: tuple[str, ...]
    rows: tuple[VariantTold, ...]
    pairs: tuple[PairTold, ...]
    position: Position | None
    agreement: Agreement | None
    against_people: AgainstPeople | None
    longer_wins: Share | None
    expect: tuple[ThingTold, ...]
    expect_by_variant: tuple[ExpectTold, ...]
    marks: tuple[MarkTold, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Tally:
    """The tally: `rows`, `pairs` and the rest are of the first group, people where any has judged."""

    kind: ClassVar[str] = "tally"
    reference: str
    judges: tuple[JudgeTold, ...]
    rows: tuple[VariantTold, ...]
    pairs: tuple[PairTold, ...]
    position: Position | None
    agreement: Agreement | None
    expect: tuple[ThingTold, ...]
    marks: tuple[MarkTold, ...]
    groups: tuple[GroupTold, ...]
    voided: int
    of_other_runs: int
    notes: tuple[str, ...]
