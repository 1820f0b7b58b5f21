"""From a ratio to what it answers of a measure."""

from unvek.core.findings.comparison.found import RatioFound
from unvek.core.measures.definition import LESS, Measure
from unvek.core.stats.conclusions.conclusion import conclusion
from unvek.core.stats.over_launches.launches import Ratio

UNCLEAR = "unclear"


def ratio_found(ratio: Ratio | None) -> RatioFound | None:
    if ratio is None:
        return None
    return RatioFound(
        value=ratio.value, low=ratio.low, high=ratio.high, low_together=ratio.low_together,
        high_together=ratio.high_together, comparisons=ratio.comparisons,
    )  # fmt: skip


def answer_of(measure: Measure, ratio: Ratio | None, margin: float) -> str | None:
    """Return faster or slower, better or worse, same or unclear; None without an interval, or a way that is better."""
    if measure.better is None:
        return None
    words = ("faster", "slower") if measure.is_speed else ("better", "worse")
    return conclusion(ratio, better_is_less=measure.better == LESS, words=words, margin=margin)
