"""What one group of judges says: ratings, pairs, the side's pull, and what was said of things and in marks."""

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from itertools import combinations

import numpy as np

from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.judged import WINS
from unvek.core.findings.tally.counting import Said, as_pairs, cluster_of
from unvek.core.findings.tally.found import (
    BETTER,
    SAME,
    UNCLEAR,
    WORSE,
    ExpectTold,
    MarkTold,
    PairTold,
    Position,
    Share,
    ThingTold,
    VariantTold,
)
from unvek.core.logbook.verdict_rows import MARKS, MISSING, MOST_MARK, NEITHER, PARTLY, POINTS, THERE, UNSURE
from unvek.core.measures.points import POINTS as WORTH
from unvek.core.stats.judged.ratings import LEFT, RIGHT, Ratings, rate
from unvek.core.stats.quantiles import normal_quantile, student_quantile
from unvek.core.stats.shares import clopper_pearson
from unvek.core.stats.student import OFTEN, Estimate, mean_and_half_width, share_below

MARGIN = 0.05  # of winning, within which two are as good, unless the plan says
MOST_MORE, FEW_MORE = 1000, 10


def share_of(count: int, of: int) -> Share:
    low, high = clopper_pearson(count, of) if of else (None, None)
    return Share(count=count, of=of, value=count / of if of else None, low=low, high=high)


class PairsOfGroup:
    """The verdicts on pairs of one group, rated."""

    def __init__(self, evidence: Evidence, said: Sequence[Said]):
        self._said = [one for one in said if one.is_of_two]
        shown = {run.variant for one in self._said for run in (one.left, one.right) if run is not None}
        self.variants = [variant for variant in evidence.variants if variant.name in shown]
        self._places = {variant.name: place for place, variant in enumerate(self.variants)}
        self._reference = self._places.get(evidence.reference)
        self._ratings: Ratings | None = None
        self._margin = evidence.plan.margins[WINS].value if WINS in evidence.plan.margins else MARGIN
        self.over = cluster_of(self._said)[0]
        if self._said:
            self._ratings = rate(as_pairs(self._said, self._places), len(self.variants))

    @property
    def comparisons(self) -> int:
        return max(1, len(self.variants) - 1)

    def rows(self) -> tuple[VariantTold, ...]:
        outcomes: Counter[tuple[str, int]] = Counter()
        for one in self._said:
            assert one.right is not None, "these are of two"
            outcomes.update([(one.left.variant, one.said_left), (one.right.variant, -one.said_left)])
        found = []
        for variant in self.variants:
            alone, together = self._winning(variant.name, 1), self._winning(variant.name, self.comparisons)
            found.append(
                VariantTold(
                    variant=variant.name, form=variant.form, rating=alone.value if alone else None,
                    low=alone.low if alone else None, high=alone.high if alone else None,
                    low_together=together.low if together else None,
                    high_together=together.high if together else None,
                    wins=outcomes[variant.name, LEFT], losses=outcomes[variant.name, RIGHT],
                    ties=outcomes[variant.name, 0],
                )
            )  # fmt: skip
        return tuple(found)

    def _winning(self, variant: str, comparisons: int) -> Estimate | None:
        if self._ratings is None or self._reference is None:
            return None
        return self._ratings.winning(self._places[variant], self._reference, comparisons)

    def pairs(self) -> tuple[PairTold, ...]:
        met: dict[frozenset[str], list[Said]] = {}
        for one in self._said:
            assert one.right is not None, "these are of two"
            met.setdefault(frozenset((one.left.variant, one.right.variant)), []).append(one)
        found = []
        names = [variant.name for variant in self.variants]
        for ours, theirs in combinations(names, 2):
            if frozenset((ours, theirs)) in met:
                found.append(self._pair(ours, theirs, met[frozenset((ours, theirs))], len(met)))
        return tuple(found)

    def _pair(self, ours: str, theirs: str, said: Sequence[Said], comparisons: int) -> PairTold:
        assert self._ratings is not None, "there are verdicts"
        won = [one.said_left if one.left.variant == ours else -one.said_left for one in said]
        places = self._places[ours], self._places[theirs]
        alone, together = (self._ratings.winning(*places, n) for n in (1, comparisons))
        answer = _answer(together, self._margin)
        neither = sum(one.verdict.answer == NEITHER for one in said)
        same = sum(one.verdict.unasked for one in said)
        return PairTold(
            variants=(ours, theirs), wins=(won.count(LEFT), won.count(RIGHT)), ties=won.count(0) - neither - same,
            neither=neither, same=same, winning=alone, winning_together=together, answer=answer,
            more=_more(together, len(said), self._ratings.worth, comparisons) if answer == UNCLEAR else None,
        )  # fmt: skip

    def position(self) -> Position | None:
        if self._ratings is None:
            return None
        found = self._ratings.left_share()
        return Position(left_share=found.value, low=found.low, high=found.high)

    def longer_wins(self, lengths: Mapping[int, int]) -> Share | None:
        """Return of texts how often the longer one is taken, of those times when one is; None of what is no text."""
        taken = longer = 0
        for one in self._said:
            left, right = (lengths.get(run.number, 0) for run in (one.left, one.right) if run is not None)
            if left and right and left != right and one.said_left:
                taken += 1
                longer += (one.said_left == LEFT) == (left > right)
        return share_of(longer, taken) if taken else None


def _answer(winning: Estimate | None, margin: float) -> str:
    if winning is None or winning.low is None or winning.high is None:
        return UNCLEAR
    if winning.low > 0.5:
        return BETTER
    if winning.high < 0.5:
        return WORSE
    within = winning.low >= 0.5 - margin and winning.high <= 0.5 + margin
    return SAME if within else UNCLEAR


def _more(winning: Estimate | None, verdicts: int, worth: float, comparisons: int) -> int | None:
    """Return about how many verdicts more, on as many other tasks, would tell 8 times in 10, if it is as it looks.

    As much narrower as an interval gets with the root of their number. None where too many are needed to say.
    """
    if winning is None or winning.low is None or winning.high is None or worth < 2:
        return None
    half = (winning.high - winning.low) / 2 / student_quantile(share_below(comparisons), worth - 1)
    apart = abs(winning.value - 0.5)
    wanted = normal_quantile(share_below(comparisons)) + normal_quantile(OFTEN)
    if apart * math.sqrt(MOST_MORE / verdicts) < wanted * half:
        return None
    more = math.ceil(verdicts * (wanted * half / apart) ** 2) - verdicts
    return max(FEW_MORE, 10 * math.ceil(more / 10))


def things_told(evidence: Evidence, said: Sequence[Said]) -> tuple[ThingTold, ...]:
    """Return what was said of each thing that a task expects, by variant."""
    counts: dict[tuple[str, str, str], Counter[str]] = {}
    worths: dict[tuple[str, str, str], dict[object, list[float]]] = {}
    for one in said:
        if one.verdict.asks != POINTS or not isinstance(one.verdict.answer, dict):
            continue
        for thing, word in one.verdict.answer.items():
            key = (one.left.variant, one.left.task, thing)
            counts.setdefault(key, Counter())[word] += 1
            if word in WORTH:
                worths.setdefault(key, {}).setdefault(one.item, []).append(WORTH[word])
    found = []
    for variant in evidence.variants:
        for key, words in counts.items():
            if key[0] == variant.name:
                # What several judges say of one output is one value: the next output is what is not known.
                of_items = [sum(values) / len(values) for values in worths.get(key, {}).values()]
                low, high = clopper_pearson(sum(of_items), len(of_items)) if of_items else (None, None)
                found.append(
                    ThingTold(
                        variant=key[0], task=key[1], thing=key[2], there=words[THERE], partly=words[PARTLY],
                        missing=words[MISSING], unsure=words[UNSURE],
                        share=sum(of_items) / len(of_items) if of_items else None, low=low, high=high,
                    )
                )  # fmt: skip
    return tuple(found)


def expect_told(evidence: Evidence, said: Sequence[Said]) -> tuple[ExpectTold, ...]:
    """Return how much of what is expected is there, by variant, over what goes together."""
    judged = [one for one in said if one.verdict.asks == POINTS and isinstance(one.verdict.answer, dict)]
    words: dict[str, Counter[str]] = {}
    shares: dict[str, dict[object, list[float]]] = {}
    for one, cluster in zip(judged, cluster_of(judged)[1], strict=True):
        words.setdefault(one.left.variant, Counter()).update(one.verdict.answer.values())
        known = [WORTH[word] for word in one.verdict.answer.values() if word in WORTH]
        if known:
            shares.setdefault(one.left.variant, {}).setdefault(cluster, []).append(sum(known) / len(known))
    found = []
    for variant in evidence.variants:
        if variant.name in shares:
            share, low, high = _over_clusters(shares[variant.name], 0.0, 1.0)
            counts = words[variant.name]
            found.append(
                ExpectTold(
                    variant=variant.name, form=variant.form, there=counts[THERE], partly=counts[PARTLY],
                    missing=counts[MISSING], unsure=counts[UNSURE], share=share, low=low, high=high,
                )
            )  # fmt: skip
    return tuple(found)


def _over_clusters(
    values: Mapping[object, Sequence[float]], least: float, most: float
) -> tuple[float, float | None, float | None]:
    """Return the mean of each cluster's mean, with an interval that lies within bounds.

    Where all are at one end it is the exact interval of none of so many: that none was seen does not say that there are
    none.
    """
    means = [sum(several) / len(several) for several in values.values()]
    middle, half = mean_and_half_width(np.array(means))
    if half is None:
        return middle, None, None
    low, high = max(least, middle - half), min(most, middle + half)
    if len(set(means)) == 1:
        never = (most - least) * clopper_pearson(0, len(means))[1]
        low, high = max(least, middle - never), min(most, middle + never)
    return middle, low, high


def marks_told(evidence: Evidence, said: Sequence[Said]) -> tuple[MarkTold, ...]:
    """Return the mean mark of each variant, with Student's interval over what goes together."""
    marked = [one for one in said if one.verdict.asks == MARKS and isinstance(one.verdict.answer, int)]
    if not marked:
        return ()
    of: dict[str, dict[object, list[float]]] = {}
    for one, cluster in zip(marked, cluster_of(marked)[1], strict=True):
        of.setdefault(one.left.variant, {}).setdefault(cluster, []).append(float(one.verdict.answer))
    found = []
    for variant in evidence.variants:
        clusters = of.get(variant.name)
        if clusters:
            mark, low, high = _over_clusters(clusters, 0.0, MOST_MARK)
            found.append(
                MarkTold(
                    variant=variant.name, form=variant.form, verdicts=sum(map(len, clusters.values())), mark=mark,
                    low=low, high=high,
                )
            )  # fmt: skip
    return tuple(found)
