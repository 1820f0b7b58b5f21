"""Do intervals of what a hand has timed hold? Times whose truth is known, by hands that are always a little late.

Run: python benchmarks/bench_by_hand.py [EXPERIMENTS]    (2,000 a line unless said; half a minute)

A hand is off in two ways: by so much each time, which the spread of the runs shows, and by so much always, for as long
as it times one program, which no number of runs shows. Beside each line stands what came without the hand's error.
"""

import sys
from dataclasses import dataclass

import numpy as np

from unvek.core.clock.hand import hand_of
from unvek.core.stats.over_launches.launches import Sample, location, paired_ratio

LAUNCHES_APART, ALWAYS, EACH_TIME = 0.02, 0.1, 0.05  # a share; and seconds, standard deviations
ROUNDS = (3, 5, 10)


@dataclass(frozen=True)
class Case:
    """true_s: what both sides take; theirs: whether a hand timed the reference too."""

    words: str
    ours_s: float
    reference_s: float
    theirs: bool
    practised: int = 0


CASES = (
    Case("30 s against 45 s that were measured", 30.0, 45.0, theirs=False),
    Case("3 s against 4 s that were measured", 3.0, 4.0, theirs=False),
    Case("1 s against 1.2 s, both by hand", 1.0, 1.2, theirs=True),
    Case("0.5 s against 0.5 s, both by hand", 0.5, 0.5, theirs=True),
    Case("3 s against 4 s, a hand measured on 5 trials", 3.0, 4.0, theirs=False, practised=5),
    Case("3 s against 4 s, a hand measured on 12 trials", 3.0, 4.0, theirs=False, practised=12),
)


def main(experiments: int) -> None:
    print(f"A hand that is off by {ALWAYS} s always and by {EACH_TIME} s each time (standard deviations), "
          f"launches {100 * LAUNCHES_APART:g} % apart; {experiments} experiments a line.\n")  # fmt: skip
    print("How often of 100 a 95 % interval holds the truth, and how often without the hand's error:")
    for case in CASES:
        print(f"  {case.words}")
        for rounds in ROUNDS:
            ratio, place, without = held(case, rounds, experiments)
            print(f"    {rounds:2d} rounds   ratio {ratio:5.1f}   time {place:5.1f}   without {without:5.1f}")


def held(case: Case, rounds: int, experiments: int) -> tuple[float, float, float]:
    """Return how many of 100 intervals hold: of the ratio, of the time itself, of the ratio as if no hand were off."""
    rng = np.random.default_rng(rounds)
    found = np.zeros(3)
    for _ in range(experiments):
        ours = timed(rng, case.ours_s, rounds, by_hand=True, practised=case.practised)
        theirs = timed(rng, case.reference_s, rounds, by_hand=case.theirs, practised=case.practised)
        blind = [Sample(one.values, one.rounds, one.launches, one.items) for one in (ours, theirs)]
        for place, (interval, truth) in enumerate((
            (paired_ratio(ours, theirs), case.ours_s / case.reference_s), (location(ours), case.ours_s),
            (paired_ratio(*blind), case.ours_s / case.reference_s),
        )):  # fmt: skip
            found[place] += interval is not None and interval.low <= truth <= interval.high
    return tuple(100 * found / experiments)


def timed(rng: np.random.Generator, true_s: float, rounds: int, by_hand: bool, practised: int) -> Sample:
    """Runs, a launch each, as a hand or a program times them."""
    values = true_s * np.exp(rng.normal(0.0, LAUNCHES_APART, rounds))
    each = np.arange(rounds)
    if not by_hand:
        return Sample(values, each, each, np.zeros(rounds, int))
    values = np.maximum(values + rng.normal(0.0, ALWAYS) + rng.normal(0.0, EACH_TIME, rounds), 0.01)
    error_s = ALWAYS
    if practised:  # on trials of another kind of program, where this hand is off otherwise
        error_s = hand_of(rng.normal(0.0, np.hypot(ALWAYS, EACH_TIME), practised)).error_s
    return Sample(values, each, each, np.zeros(rounds, int), unseen=float(np.mean(error_s / values)))


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 2000)
