"""From a ratio's interval to one of four conclusions, and how many more rounds would tell of an open one."""

import math
from dataclasses import dataclass

import numpy as np

from unvek.core.stats.over_launches.launches import Ratio, widened
from unvek.core.stats.quantiles import student_quantile
from unvek.core.stats.student import share_below

MOST_ROUNDS = 1000
MORE_ROUNDS = tuple(dict.fromkeys(round(1000 ** (step / 40)) for step in range(41)))  # 1 to 1000, each 19 % further
RARELY, MOSTLY = 0.05, 0.9
DRAWS, SEED = 400, 1


def conclusion(ratio: Ratio | None, better_is_less: bool, words: tuple[str, str], margin: float) -> str | None:
    """Return words[0] (better), words[1] (worse), "same" or "unclear"; None where there is no interval.

    "same" is said where the whole interval lies within the margin of 1, so an interval that excludes 1 by less
    than anybody cares about is "same" too. The interval is that of its table: of all that is said of variants that do
    not differ, anything else is said in 5 of 100 tables at most.
    """
    low, high = (None, None) if ratio is None else (ratio.low_together, ratio.high_together)
    if low is None or high is None:
        return None
    if low >= 1 - margin and high <= 1 + margin:
        return "same"
    if high < 1:
        return words[0 if better_is_less else 1]
    if low > 1:
        return words[1 if better_is_less else 0]
    return "unclear"


@dataclass(frozen=True, slots=True)
class Outlook:
    """How many more rounds would tell: with `high` of them it is told 9 times in 10, with under `low` hardly ever.

    middle: with which it is told as often as not; None where more than MOST_ROUNDS would be needed.
    """

    low: int
    middle: int | None
    high: int | None


def outlook(ratio: Ratio, margin: float) -> Outlook | None:
    """Return how many more rounds would tell of an unclear ratio; None where not even MOST_ROUNDS ever would.

    Told is an interval that excludes 1, or lies within the margin of it. Neither the ratio nor its spread is known, so
    they are drawn from what these rounds leave possible (a normal's posterior with Jeffreys' prior; Spiegelhalter,
    Freedman and Blackburn 1986, "Monitoring clinical trials: conditional or predictive power?"), and each number of
    rounds is looked at once: who looks after each, and stops where it pleases, is told something that is not so.
    """
    if ratio.spread is None or ratio.launches < 2:
        return None
    beyond = widened(0.0, ratio.unseen, ratio.comparisons)
    n, degrees, spread = ratio.launches, max(ratio.degrees, 1.0), ratio.spread
    rng = np.random.default_rng(SEED)
    spreads = spread * np.sqrt(degrees / (2 * rng.gamma(degrees / 2, 1.0, DRAWS)))
    true = math.log(ratio.value) + spreads * rng.standard_normal(DRAWS) / math.sqrt(n)
    chance = rng.standard_normal(DRAWS)
    told = 0.0
    reached: dict[float, int] = {}
    for more in MORE_ROUNDS:
        total = n + more
        means = (n * math.log(ratio.value) + more * (true + spreads * chance / math.sqrt(more))) / total
        seen = np.sqrt((degrees * spread**2 + more * spreads**2) / (degrees + more))
        factor = student_quantile(share_below(ratio.comparisons), total - 1 + ratio.lent_degrees)
        half_widths = np.hypot(factor * seen / math.sqrt(total), beyond)
        is_told = (np.abs(means) > half_widths) | (np.abs(means) + half_widths < math.log1p(margin))
        told = max(told, float(np.mean(is_told)))
        reached.update({share: more for share in (RARELY, 0.5, MOSTLY) if told >= share and share not in reached})
    if RARELY not in reached:
        return None
    return Outlook(reached[RARELY], reached.get(0.5), reached.get(MOSTLY))
