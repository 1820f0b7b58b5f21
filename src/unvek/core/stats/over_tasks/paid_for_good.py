"""What is paid for each that is good: a mean over a share, each with an interval of its own, and their ratio's.

The intervals are put together on logs (sums.py), as shares near 1 are skewed. What is paid and what is good are taken
for independent.
"""

import math
from dataclasses import replace

from unvek.core.stats.over_launches.launches import Ratio, Sample, location
from unvek.core.stats.over_tasks.items import score_location
from unvek.core.stats.student import Estimate
from unvek.core.stats.sums import WithEnds, summed

Ends = tuple[float | None, float | None]


def paid_for_good(paid: Sample, good: Sample, pilot: int | None = None) -> Estimate | None:
    """Return what is paid in the mean for one that is good; None where nothing is known, or nothing was good.

    paid: of all runs, good ones and others; good: of which runs it is known, 1 or 0. An end is None where it is not
    known, as the upper one is where it may be that nothing is good.
    """
    mean, share = location(paid, averaged=True, pilot=pilot, logs=False), share_of_good(good, pilot)
    if mean is None or share is None or share.value <= 0 or mean.value <= 0:
        return None
    parts = [(math.log(mean.value), *_log_ends(mean)), _turned(share)]
    return _from_logs(*summed(parts))


def ratio_for_good(of_paid: Ratio, ours: Sample, theirs: Sample, pilot: int | None = None) -> Ratio | None:
    """Return a ratio of what is paid for each that is good, from that of what is paid for all, and from who is good."""
    share, other = share_of_good(ours, pilot), share_of_good(theirs, pilot)
    if share is None or other is None or share.value <= 0 or other.value <= 0:
        return None
    shares = [_turned(share), (math.log(other.value), *_log_ends(other))]
    value, *alone = summed([(math.log(of_paid.value), _log(of_paid.low), _log(of_paid.high)), *shares])
    # The shares' ends are those of one interval alone: for a table they lie as much further off as its ratios' do.
    wider = _widening(of_paid)
    _, *together = summed([
        (math.log(of_paid.value), _log(of_paid.low_together), _log(of_paid.high_together)),
        *(_widened(one, wider) for one in shares),
    ])  # fmt: skip
    low, high, low_together, high_together = map(_exp, (*alone, *together))
    return replace(
        of_paid, value=math.exp(value), spread=None, low=low, high=high, low_together=low_together,
        high_together=high_together,
    )  # fmt: skip


def share_of_good(good: Sample, pilot: int | None = None) -> Estimate | None:
    """Return the share that is good, with its interval over tasks; None where it is known of none."""
    return score_location(good, averaged=True, pilot=pilot)


def _log(value: float | None) -> float | None:
    return math.log(value) if value is not None and value > 0 else None


def _log_ends(of: Estimate) -> Ends:
    return _log(of.low), _log(min(of.high, 1.0) if of.high is not None and of.value <= 1 else of.high)


def _turned(share: Estimate) -> WithEnds:
    """One over a share, on logs."""
    low, high = _log_ends(share)
    return -math.log(share.value), None if high is None else -high, None if low is None else -low


def _widening(of: Ratio) -> float:
    if of.low is None or of.low_together is None or not of.low < of.value:
        return 1.0
    return math.log(of.value / of.low_together) / math.log(of.value / of.low)


def _widened(part: WithEnds, by: float) -> WithEnds:
    value, low, high = part
    below, above = None if low is None else value - low, None if high is None else high - value
    return value, None if below is None else value - by * below, None if above is None else value + by * above


def _from_logs(value: float, low: float | None, high: float | None) -> Estimate:
    return Estimate(value=math.exp(value), low=_exp(low), high=_exp(high))


def _exp(log: float | None) -> float | None:
    return None if log is None else math.exp(log)
