"""Ratings from pairs: which of two was better, or neither, asked many times of several variants.

Each variant has a strength t. Of a pair shown side by side, with d = t(left) - t(right) + p, the left one is taken with
a chance in proportion to exp(d / 2), the right one to exp(-d / 2), and neither to exp(n): Bradley and Terry's model
with ties (Davidson 1970, "On extending the Bradley-Terry model to accommodate ties", equation 2.4) and a term p for the
side (Davidson and Beaver 1977). What is told is how often one variant wins against another where neither has the better
side, a tie being half a win: that is what the measure `wins` is, and means the same whatever share of ties there is.

Verdicts on one item go together: who likes a petal likes it in each pair. So intervals come from the sandwich over
clusters (Liang and Zeger 1986, with the factor G / (G - 1) of few clusters) with Student's t of G - 1 degrees. G is
what the clusters are worth: as many as there are where each has as many verdicts, and fewer where a few have most (Kish
1965, "Survey Sampling", section 8.2). Half a win and half a loss are added for each variant, spread over those that it
met, each as a cluster of its own: nobody's strength is without bounds. Where all say the same of two, the interval is
as wide as the exact one over clusters: five of five are not sure.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from unvek.core.stats.grouping import Floats, Whole, numbered
from unvek.core.stats.quantiles import student_quantile
from unvek.core.stats.shares import clopper_pearson
from unvek.core.stats.student import Estimate, share_below

LEFT, EVEN, RIGHT = 1, 0, -1
ADDED = 0.5  # wins, and losses, of each variant
FEWEST_WORTH = 2.0  # clusters: one alone says nothing of others
MOST_STEPS = 100
SMALL = 1e-9


@dataclass(frozen=True, slots=True)
class PairVerdicts:
    """(n,) arrays: the variants shown left and right, by number, what was said of them (LEFT, EVEN or RIGHT), and the
    cluster that each verdict is of, by number."""

    left: Whole
    right: Whole
    said: Whole
    cluster: Whole

    def where(self, these: NDArray[np.bool_]) -> "PairVerdicts":
        return PairVerdicts(self.left[these], self.right[these], self.said[these], self.cluster[these])

    def __len__(self) -> int:
        return len(self.said)


@dataclass(frozen=True, eq=False)
class Ratings:
    """What pair verdicts come to, for `count` variants.

    `has_ties` tells whether anybody called two even. Parameters are the strengths, the side's p, and n if there were
    ties; covariance is theirs, of `clusters`, which are worth so many of equal size.
    """

    count: int
    parameters: Floats
    covariance: Floats
    clusters: int
    worth: float
    has_ties: bool
    reach: NDArray[np.bool_]  # (variants, variants) whether the first is bounded from above by the second
    decided: NDArray[np.bool_]  # (variants, variants) whether any verdict on the two called one the better
    taken: tuple[bool, bool]  # whether a left one, and a right one, was ever taken

    @cached_property
    def strengths(self) -> Floats:
        return self.parameters[: self.count]

    def winning(self, ours: int, theirs: int, comparisons: int = 1) -> Estimate | None:
        """Return how often the first wins against the second, ties half; its interval as one of so many together.

        None where no verdicts connect the two. No interval from fewer than two clusters.
        """
        if ours == theirs:
            return Estimate(value=0.5, low=None, high=None)
        if not (self.reach[ours, theirs] or self.reach[theirs, ours]):
            return None
        share, slope = self._share(ours, theirs)
        low, high = self._ends(_logit(share), slope / (share * (1 - share)), comparisons)
        if low is None or high is None:
            return Estimate(value=share, low=None, high=None)
        never = _never(self.clusters, comparisons)
        low, high = _logistic(low), _logistic(high)
        if not self.decided[ours, theirs]:
            low, high = min(low, 0.5 - never / 2), max(high, 0.5 + never / 2)
        if not self.reach[ours, theirs]:
            low, high = min(low, 1 - never), 1.0
        if not self.reach[theirs, ours]:
            low, high = 0.0, max(high, never)
        return Estimate(value=share, low=low, high=high)

    def left_share(self) -> Estimate:
        """Return how often the left one of two equals is taken, of those times when one is."""
        slope = np.zeros(len(self.parameters))
        slope[self.count] = 1.0
        side = float(self.parameters[self.count])
        low, high = self._ends(side, slope, 1)
        if low is None or high is None:
            return Estimate(value=_logistic(side), low=None, high=None)
        never, (on_left, on_right) = _never(self.clusters, 1), self.taken
        return Estimate(
            value=_logistic(side),
            low=min(_logistic(low), 1.0 if on_right else 1 - never),
            high=max(_logistic(high), 0.0 if on_left else never),
        )

    def _share(self, ours: int, theirs: int) -> tuple[float, Floats]:
        """Return (w + tie / 2) / (w + l + tie), and its slope along the parameters."""
        d = float(self.strengths[ours] - self.strengths[theirs])
        win, loss = math.exp(d / 2), math.exp(-d / 2)
        tie = math.exp(float(self.parameters[self.count + 1])) if self.has_ties else 0.0
        whole = win + loss + tie
        share = (win + tie / 2) / whole
        slope = np.zeros(len(self.parameters))
        along = (win / 2 - share * (win - loss) / 2) / whole
        slope[ours], slope[theirs] = along, -along
        if self.has_ties:
            slope[self.count + 1] = tie * (0.5 - share) / whole
        return share, slope

    def _ends(self, value: float, slope: Floats, comparisons: int) -> tuple[float | None, float | None]:
        if self.worth < FEWEST_WORTH:
            return None, None
        variance = float(slope @ self.covariance @ slope)
        half = student_quantile(share_below(comparisons), self.worth - 1) * math.sqrt(max(variance, 0.0))
        return value - half, value + half


def rate(verdicts: PairVerdicts, count: int) -> Ratings:
    """Return the ratings of `count` variants by maximum likelihood, the strengths' sum being 0."""
    has_ties = bool(np.any(verdicts.said == EVEN))
    rows = _Rows.of(verdicts, count, has_ties)
    parameters = _most_likely(rows, count)
    worth = _worth(verdicts.cluster)
    covariance = _sandwich(rows, parameters, count) * (worth / (worth - 1) if worth >= FEWEST_WORTH else math.nan)
    decided = np.zeros((count, count), bool)
    of_two = verdicts.where(verdicts.said != EVEN)
    decided[of_two.left, of_two.right] = decided[of_two.right, of_two.left] = True
    return Ratings(
        count=count, parameters=parameters, covariance=covariance, clusters=len(np.unique(verdicts.cluster)),
        worth=worth, has_ties=has_ties, reach=_bounded(verdicts, count), decided=decided,
        taken=(bool(np.any(verdicts.said == LEFT)), bool(np.any(verdicts.said == RIGHT))),
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Rows:
    """Verdicts, and what is added to them: x (n, parameters but n) with d = x @ parameters, said, weight, cluster."""

    x: Floats
    said: Whole
    weight: Floats
    cluster: Whole
    has_ties: bool

    @classmethod
    def of(cls, verdicts: PairVerdicts, count: int, has_ties: bool) -> "_Rows":
        n = len(verdicts)
        x = np.zeros((n, count + 1))
        x[np.arange(n), verdicts.left] += 1
        x[np.arange(n), verdicts.right] -= 1
        x[:, count] = 1
        clusters, of_verdicts = numbered(verdicts.cluster)
        added = _added(verdicts, count)
        return cls(
            x=np.vstack([x, added[0]]),
            said=np.r_[verdicts.said, added[1]],
            weight=np.r_[np.ones(n), added[2]],
            cluster=np.r_[clusters, of_verdicts + np.arange(len(added[1]))],
            has_ties=has_ties,
        )

    def at(self, parameters: Floats) -> tuple[Floats, Floats, Floats]:
        """Return the chances of left, right and even, each (n,)."""
        d = self.x @ parameters[: self.x.shape[1]]
        logs = np.stack([d / 2, -d / 2] + ([np.full(len(d), parameters[-1])] if self.has_ties else []))
        parts = np.exp(logs - logs.max(axis=0))
        parts /= parts.sum(axis=0)
        return parts[0], parts[1], parts[2] if self.has_ties else np.zeros(len(d))

    def scores(self, parameters: Floats) -> Floats:
        """Return (n, parameters) the slope of each row's log likelihood."""
        left, right, even = self.at(parameters)
        along = (self.said - (left - right)) / 2
        scores = along[:, None] * self.x
        return np.c_[scores, (self.said == EVEN) - even] if self.has_ties else scores

    def information(self, parameters: Floats) -> Floats:
        left, right, even = self.at(parameters)
        along = ((left + right) - (left - right) ** 2) / 4
        found = (self.x * (self.weight * along)[:, None]).T @ self.x
        if not self.has_ties:
            return np.asarray(found)
        across = self.x.T @ (-self.weight * even * (left - right) / 2)
        last = float(np.sum(self.weight * even * (1 - even)))
        return np.block([[found, across[:, None]], [across[None], np.array([[last]])]])

    def log_likelihood(self, parameters: Floats) -> float:
        left, right, even = self.at(parameters)
        chance = np.where(self.said == LEFT, left, np.where(self.said == RIGHT, right, even))
        return float(np.sum(self.weight * np.log(np.maximum(chance, 1e-300))))


def _added(verdicts: PairVerdicts, count: int) -> tuple[Floats, Whole, Floats]:
    """Return rows that keep strengths and the side within bounds: x, what is said, weight."""
    met = np.zeros((count, count), bool)
    met[verdicts.left, verdicts.right] = met[verdicts.right, verdicts.left] = True
    rows: list[Floats] = []
    weights: list[float] = []
    for ours, theirs in zip(*np.nonzero(np.triu(met, 1)), strict=True):
        row = np.zeros(count + 1)
        row[ours], row[theirs] = 1, -1
        rows.append(row)
        weights.append(ADDED * (1 / met[ours].sum() + 1 / met[theirs].sum()) / 2)
    side = np.zeros(count + 1)
    side[count] = 1
    rows.append(side)
    weights.append(ADDED)
    x = np.repeat(np.array(rows), 2, axis=0)
    return x, np.tile([LEFT, RIGHT], len(rows)), np.repeat(weights, 2)


def _most_likely(rows: _Rows, count: int) -> Floats:
    """Climb by Newton's steps, halved where they overshoot; the likelihood has one top only."""
    parameters = np.zeros(rows.x.shape[1] + rows.has_ties)
    height = rows.log_likelihood(parameters)
    for _ in range(MOST_STEPS):
        slope = rows.weight @ rows.scores(parameters)
        step = _solved(rows.information(parameters), slope, count)
        for _ in range(MOST_STEPS):
            found = rows.log_likelihood(parameters + step)
            if found >= height - SMALL:
                break
            step = step / 2
        parameters = parameters + step
        if abs(found - height) < SMALL and float(np.abs(step).max()) < 1e-6:
            break
        height = found
    return parameters


def _solved(information: Floats, slope: Floats, count: int) -> Floats:
    """Return the step that leaves the strengths' sum as it is."""
    return np.asarray(np.linalg.solve(information + _centring(len(information), count), slope))


def _centring(size: int, count: int) -> Floats:
    """What makes the sum of the strengths known: it is in no verdict. Variants that nothing connects stay at 0."""
    ones = np.zeros(size)
    ones[:count] = 1
    return np.outer(ones, ones) + np.diag(ones) * SMALL


def _sandwich(rows: _Rows, parameters: Floats, count: int) -> Floats:
    """Return the parameters' covariance over clusters, but for the factor of few."""
    scores = rows.scores(parameters) * rows.weight[:, None]
    sums = np.zeros((int(rows.cluster.max()) + 1, scores.shape[1]))
    np.add.at(sums, rows.cluster, scores)
    inverse = np.linalg.inv(rows.information(parameters) + _centring(len(parameters), count))
    return np.asarray(inverse @ sums.T @ sums @ inverse)


def _worth(clusters: Whole) -> float:
    """Return how many clusters of equal size these are worth."""
    sizes = np.unique(clusters, return_counts=True)[1]
    return float(sizes.sum() ** 2 / np.sum(sizes**2)) if len(sizes) else 0.0


def _bounded(verdicts: PairVerdicts, count: int) -> NDArray[np.bool_]:
    """Return for each two whether the first's strength is bounded from above by the second's.

    It is where the second has won against it, or against one that has won against it, and so on; a tie is a win of
    both.
    """
    reach = np.eye(count, dtype=bool)
    for winner, loser, said in ((verdicts.left, verdicts.right, LEFT), (verdicts.right, verdicts.left, RIGHT)):
        won = (verdicts.said == said) | (verdicts.said == EVEN)
        reach[loser[won], winner[won]] = True
    for middle in range(count):
        reach |= reach[:, middle, None] & reach[None, middle]
    return reach


def _never(clusters: int, comparisons: int) -> float:
    """Return how often something may happen that was seen in none of so many clusters, at most."""
    return clopper_pearson(0, clusters, 2 * share_below(comparisons) - 1)[1]


def clusters_of(keys: Sequence[object]) -> Whole:
    """Return (n,) a number for each key, the same for equal ones."""
    numbers: dict[object, int] = {}
    return np.array([numbers.setdefault(key, len(numbers)) for key in keys], np.int64)


def _logit(share: float) -> float:
    return math.log(share / (1 - share))


def _logistic(value: float) -> float:
    return 1 / (1 + math.exp(-value)) if value >= 0 else math.exp(value) / (1 + math.exp(value))
