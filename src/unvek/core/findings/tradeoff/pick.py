"""Which variant to pick: the best by what is wished for that meets the needs, stays close, and can be trusted."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.tradeoff.found import CLOSE_DRIFT, TradeoffRow
from unvek.core.findings.tradeoff.wishes import USUAL_WISH, Merits, Wish
from unvek.core.measures.definition import MORE

HARDLY = 0.05  # of a probability


@dataclass(frozen=True, slots=True, kw_only=True)
class Choice:
    """A variant that was chosen, and what else was there: `others`, the best first, those of them that may be better
    than it by more than a margin, and whether the reference stays since nothing is shown to be better than it.
    """

    variant: str
    others: tuple[str, ...]
    ties: tuple[str, ...]
    is_reference_kept: bool = False

    @property
    def after(self) -> str | None:
        """The next one that is shown not to be better."""
        return next((name for name in self.others if name not in self.ties), None)


@dataclass(frozen=True)
class Case:
    """What a choice is made of. `names` are those of the merits.

    is_judged: whether a need or a wish speaks of the quality, so that closeness to the reference does not matter.
    held_against: what an audit finds unfair about variants, and which fail too often, in words.
    """

    evidence: Evidence
    rows: tuple[TradeoffRow, ...]
    names: tuple[str, ...]
    merits: Merits
    wishes: tuple[Wish, ...]
    is_judged: bool
    held_against: Mapping[str, str]

    @property
    def is_of_speed(self) -> bool:
        """Whether nothing is wished for but to be fast, as usual."""
        return self.wishes == (USUAL_WISH,)

    @cached_property
    def judged(self) -> tuple[TradeoffRow, ...]:
        return tuple(row for row in self.rows if not row.not_judged)

    @cached_property
    def fitting(self) -> tuple[TradeoffRow, ...]:
        """The variants that are known to meet every need."""
        return tuple(row for row in self.judged if not (row.unmet or row.not_shown))

    def row(self, name: str) -> TradeoffRow:
        return next(row for row in self.rows if row.variant == name)

    def among(self, fitting: Sequence[TradeoffRow]) -> list[TradeoffRow]:
        """Of those that fit the ones that none of them beats which can be trusted; all of them where each is beaten."""
        trusted = {row.variant for row in fitting if row.variant not in self.held_against}
        return [row for row in fitting if row.on_frontier or not trusted & set(row.beaten_by)] or list(fitting)

    def merit(self, name: str) -> float:
        return float(self.merits.found[self.names.index(name)])

    def is_better(self, one: str, other: str) -> bool:
        """Whether one is shown to be better than another, as surely as all in a table are told apart."""
        places = [self.names.index(name) for name in (one, other)]
        return self.merits.is_better(places[0], places[1], len(self.names) - 1)

    def may_be_better(self, one: str, best: str, comparisons: int) -> bool:
        places = [self.names.index(name) for name in (one, best)]
        return self.merits.may_be_better(places[0], places[1], comparisons)

    def is_close(self, row: TradeoffRow) -> bool:
        """Whether outputs stay close to the reference's, or a need or a wish says what they must be."""
        if self.is_judged:
            return True
        if row.drift is not None:
            return row.drift < CLOSE_DRIFT
        evidence, quality = self.evidence, self.evidence.quality
        ratio = evidence.ratio_to_reference(quality, row.variant) if quality is not None else None
        if quality is None or ratio is None or ratio.low_together is None or ratio.high_together is None:
            return True
        margin = evidence.margin_share(quality)
        more_is_better = evidence.values.measure(quality).better == MORE
        return not (ratio.high_together < 1 - margin if more_is_better else ratio.low_together > 1 + margin)

    def chosen(self, fitting: Sequence[TradeoffRow]) -> Choice | None:
        """Return the choice among variants that fit; None where none of them stays close, or there are none."""
        close = [row for row in self.among(fitting) if self.is_close(row)]
        trusted = [row for row in close if row.variant not in self.held_against] or close
        known = [row for row in trusted if math.isfinite(self.merit(row.variant))]
        if not known:
            return None
        best = max(known, key=lambda row: self.merit(row.variant)).variant
        behind = [
            row.variant for row in fitting if row.variant not in (best, *self.held_against) and self.is_close(row)
        ]
        others = sorted((name for name in behind if math.isfinite(self.merit(name))), key=self.merit, reverse=True)
        reference = self.evidence.reference
        if reference in (best, *others) and not self._is_clearly_beaten:
            rival = next((name for name in (best, *others) if name != reference), None)
            if rival is not None and not self.is_better(best, reference):
                rest = tuple(name for name in (best, *others) if name != reference)
                return Choice(variant=reference, others=rest, ties=(), is_reference_kept=True)
        ties = tuple(name for name in others if self.may_be_better(name, best, len(others)))
        return Choice(variant=best, others=tuple(others), ties=ties)

    @cached_property
    def _is_clearly_beaten(self) -> bool:
        """Whether the reference has hardly a place on the frontier: as good as another, say, of half the memory."""
        reference = self.evidence.reference
        probability = next((row.probability for row in self.rows if row.variant == reference), None)
        return probability is not None and probability < HARDLY

    @property
    def not_shown(self) -> tuple[TradeoffRow, ...]:
        """The variants that are not shown to meet a need, nor not to."""
        return tuple(row for row in self.judged if row.not_shown and not row.unmet)

    def undecided(self, choice: Choice) -> tuple[str, ...]:
        """Of these the ones that may be better than the choice, if they do."""
        rows = [row for row in self.not_shown if row.variant not in self.held_against and self.is_close(row)]
        compared = len(choice.others) + len(rows)
        return tuple(row.variant for row in rows if self.may_be_better(row.variant, choice.variant, compared))
