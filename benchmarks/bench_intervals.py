"""Do the intervals hold? Experiments whose truth is known, judged as `compare` judges.

Run: python benchmarks/bench_intervals.py [EXPERIMENTS]    (10,000 a line unless said; about ten minutes)
"""

import sys
from collections import Counter

import numpy as np
from experiments import Hardships, runs_of

from unvek.core.plan.model import USUAL_MARGIN
from unvek.core.stats.conclusions.conclusion import conclusion
from unvek.core.stats.over_launches.launches import paired_ratio
from unvek.core.stats.over_launches.settling import rounds_wanted

MARGIN = USUAL_MARGIN.value
WORDS = ("faster", "slower")
KINDS = {
    "plain": Hardships(skew=False, outliers=False, drift=False),
    "skew": Hardships(outliers=False, drift=False),
    "outliers": Hardships(skew=False, drift=False),
    "all of it": Hardships(),
}
ROUNDS = (3, 5, 10)


def main(experiments: int) -> None:
    print(f"{experiments} experiments a line; 3 items, 2 repeats; the standard error of a share is about "
          f"{100 * np.sqrt(0.05 * 0.95 / experiments):.2f}\n")  # fmt: skip
    print("How often of 100 a 95 % interval holds the truth (0.8 times the reference's time):")
    for kind, hard in KINDS.items():
        held = [held_share(experiments, rounds, 0.8, hard) for rounds in ROUNDS]
        words = (f"{rounds} rounds {100 * share:5.2f}" for rounds, share in zip(ROUNDS, held, strict=True))
        print(f"  {kind:10s}", *words, sep="   ")
    print("\nWhat is said when nothing differs, of 100:")
    for rounds in ROUNDS:
        print(f"  {rounds} rounds: {said(experiments, rounds, 1.0, 0.02)}")
    print(f"\nWhat is said of a true difference just beyond the margin of {100 * MARGIN:.0f} %, of 100:")
    for ratio in (1 - MARGIN, 1 + MARGIN):
        for spread in (0.02, 0.005):
            for rounds in ROUNDS:
                print(f"  {ratio:.2f} times, launches {100 * spread:g} % apart, {rounds} rounds: "
                      f"{said(experiments, rounds, ratio, spread)}")  # fmt: skip
    print("\nRounds added until the ratio is known to 3 %, 30 at most:")
    for pilot in (3, 5):
        print(f"  from {pilot} rounds on: {settled(experiments, pilot, 0.03, 30)}")


def held_share(experiments: int, rounds: int, truth: float, hard: Hardships) -> float:
    rng = np.random.default_rng(rounds)
    held = 0
    for _ in range(experiments):
        found = paired_ratio(*runs_of(rng, truth, rounds, 3, 2, hard))
        held += found.low <= truth <= found.high
    return held / experiments


def said(experiments: int, rounds: int, truth: float, spread: float) -> str:
    rng = np.random.default_rng(100 + rounds)
    words = Counter(
        conclusion(paired_ratio(*runs_of(rng, truth, rounds, 3, 2, Hardships(), spread)), True, WORDS, MARGIN)
        for _ in range(experiments)
    )
    return ", ".join(f"{word} {100 * words[word] / experiments:.2f}" for word in (*WORDS, "same", "unclear"))


def settled(experiments: int, pilot: int, precision: float, most: int) -> str:
    """Every experiment has its rounds to the end; the settling takes as many of them as it wants."""
    rng = np.random.default_rng(pilot)
    held = careless = 0
    rounds_taken, half_widths = [], []
    for _ in range(experiments):
        ours, theirs = runs_of(rng, 0.8, most, 3, 2, Hardships())
        rounds = min(most, rounds_wanted([(ours, theirs)], pilot, precision) or most)
        taken = ours.where(ours.rounds <= rounds), theirs.where(theirs.rounds <= rounds)
        found = paired_ratio(*taken, pilot=pilot)
        held += found.low <= 0.8 <= found.high
        rounds_taken.append(rounds)
        half_widths.append(np.log(found.high / found.value))
        careless += _holds_when_stopped_early(ours, theirs, pilot, precision, most)
    return (f"held {100 * held / experiments:.2f} of 100, {np.mean(rounds_taken):.1f} rounds in the mean, "
            f"half-width {100 * np.mean(half_widths):.2f} %. Stopped at the first interval that is narrow enough, the "
            f"ordinary interval would hold {100 * careless / experiments:.2f}")  # fmt: skip


def _holds_when_stopped_early(ours, theirs, pilot: int, precision: float, most: int) -> bool:
    for rounds in range(pilot, most + 1):
        found = paired_ratio(ours.where(ours.rounds <= rounds), theirs.where(theirs.rounds <= rounds))
        if np.log(found.high / found.value) <= np.log1p(precision) or rounds == most:
            break
    return found.low <= 0.8 <= found.high


if __name__ == "__main__":
    main(int(sys.argv[1]) if sys.argv[1:] else 10_000)
