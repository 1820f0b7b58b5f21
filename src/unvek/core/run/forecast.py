"""How long what is left will take, as a range, from what has been seen."""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from statistics import fmean, stdev

WIDEN = 0.1  # what the figures so far can't know: another load on the machine, a longer prompt


@dataclass(frozen=True, slots=True, kw_only=True)
class Share:
    """Some runs to come, and how long such runs have taken so far (none: not yet known)."""

    runs: int
    seen_s: Sequence[float]


def forecast(shares: Iterable[Share]) -> tuple[float, float] | None:
    """Return (low, high) seconds for all runs to come; None where nothing like them was ever seen.

    Runs of which none was seen take as long as the quickest to the slowest of the others.
    """
    shares = [share for share in shares if share.runs]
    means = [fmean(share.seen_s) for share in shares if share.seen_s]
    if not shares:
        return 0.0, 0.0
    if not means:
        return None
    low = high = 0.0
    for share in shares:
        if share.seen_s:
            mean = fmean(share.seen_s)
            spread = stdev(share.seen_s) if len(share.seen_s) > 1 else mean / 4
            doubt = 2 * spread * (1 / math.sqrt(share.runs) + 1 / math.sqrt(len(share.seen_s)))
            low += share.runs * max(min(share.seen_s), mean - doubt)
            high += share.runs * (mean + doubt)
        else:
            low += share.runs * min(means)
            high += share.runs * max(means)
    return low * (1 - WIDEN), high * (1 + WIDEN)
