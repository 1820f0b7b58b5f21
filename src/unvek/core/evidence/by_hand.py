"""What a hand adds to the times that it takes: an error that no number of runs shows or makes less."""

import numpy as np

from unvek.core.evidence.counted_runs import Truths
from unvek.core.evidence.values import Values
from unvek.core.measures.catalogue import REACTION, TIME, USUAL_REACTION_S, built_in
from unvek.core.run.events.record import BY_HAND


def hand_error(values: Values, name: str, these: Truths) -> float:
    """Return the standard deviation, as a share, of what hands may have added to a measure of these runs.

    Of a time that a hand has taken it is the hand's error over that time; what is worked out from the time that a run
    took (rates, times per token, costs) is off by the same share as that. The mean over the runs, those that no hand
    timed with nothing.
    """
    if BY_HAND not in values.held.runs.rows.coded("source").values:
        return 0.0
    by_hand = these & values.held.runs.of_source(BY_HAND)
    if not np.any(by_hand) or not _is_timed(values, name):
        return 0.0
    told_s = values.of(REACTION)
    error_s = np.where(np.isfinite(told_s), told_s, USUAL_REACTION_S)
    time_s = values.of(name if values.measure(name).unit == "s" and not name.startswith("time.per.") else TIME)
    shares = np.where(by_hand, error_s / np.where(time_s > 0, time_s, np.nan), 0.0)[these]
    known = shares[np.isfinite(shares)]
    return float(np.mean(known)) if len(known) else 0.0


def _is_timed(values: Values, name: str) -> bool:
    """Whether a measure is a time of Unvek's own, or comes of one."""
    known = built_in(name)
    return values.is_cost(name) or (known is not None and name != REACTION and known.is_speed)
