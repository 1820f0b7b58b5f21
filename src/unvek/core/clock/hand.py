"""How far a hand is off: the standard deviation of what it adds to a time, from trials of a length that is known."""

import json
import math
import os
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from unvek.core.held_folder import read_plain
from unvek.core.measures.catalogue import USUAL_REACTION_S
from unvek.core.stats.quantiles import normal_quantile, student_quantile
from unvek.core.stats.student import share_below

LEAST_S, MOST_S = 0.005, 5.0  # of a hand's error: a smaller or larger one is none
FEWEST_TRIALS = 5
MOST_BYTES = 4096


@dataclass(frozen=True, slots=True, kw_only=True)
class Hand:
    """error_s goes into every interval; bias_s and trials tell where it is from, None and 0 of a hand not measured."""

    error_s: float
    bias_s: float | None = None
    trials: int = 0


USUAL = Hand(error_s=USUAL_REACTION_S)


def hand_of(errors_s: Sequence[float]) -> Hand:
    """Return how far a hand is off, from what it added to times that are known.

    The error is the root of the mean square, which holds the bias too: a hand that is always late is late on all that
    it times. Of few trials it is itself not known well: it is widened by Student's quantile over the normal one, so
    that an interval made with the normal one holds as often as it says (Student 1908, "The probable error of a mean").
    """
    count = len(errors_s)
    square = sum(error**2 for error in errors_s) / count
    wider = student_quantile(share_below(), count) / normal_quantile(share_below())
    error = min(MOST_S, max(LEAST_S, math.sqrt(square) * wider))
    return Hand(error_s=error, bias_s=sum(errors_s) / count, trials=count)


def hand_on_file() -> Hand:
    """Return the hand of this user as it was measured last; the usual one where it never was, or can't be read."""
    try:
        content = json.loads(read_plain(_file(), MOST_BYTES))
        found = Hand(error_s=float(content["error_s"]), bias_s=float(content["bias_s"]), trials=int(content["trials"]))
    except (OSError, ValueError, KeyError, TypeError, OverflowError, RecursionError):
        return USUAL
    fits = LEAST_S <= found.error_s <= MOST_S and found.trials >= FEWEST_TRIALS
    return found if fits and found.bias_s is not None and abs(found.bias_s) <= MOST_S else USUAL


def keep_hand(hand: Hand) -> Path:
    """Keep what was measured, for all that this user times from now on, and return where."""
    path = _file()
    path.parent.mkdir(parents=True, exist_ok=True)
    written = path.with_suffix(f".{os.getpid()}")
    content = {"error_s": hand.error_s, "bias_s": hand.bias_s, "trials": hand.trials}
    written.write_text(json.dumps(content) + "\n", encoding="utf-8")
    written.replace(path)
    return path


def _file() -> Path:
    from platformdirs import user_state_path

    return user_state_path("unvek") / "hand.json"
