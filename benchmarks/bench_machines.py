"""Do intervals over machines hold? A kind of machine whose truth is known, and a few machines of it.

Run: python benchmarks/bench_machines.py [EXPERIMENTS]    (2,000 a line unless said; some two minutes)

Each machine has a speed of its own, which pairing takes out, and does each variant a little better or worse than its
kind, which no number of rounds on it takes out. Beside each line stands what came of taking rounds for the units.
"""

import math
import sys

import numpy as np

from unvek.core.stats.machines import over_machines
from unvek.core.stats.over_launches.launches import Sample, levels_between, paired_levels, ratios_together

MACHINES = (2, 3, 5, 10)
APART = (0.0, 0.02, 0.10)  # how much a variant's ratio differs from machine to machine: a standard deviation of logs
VARIANTS, ROUNDS, ITEMS, LAUNCHES_APART, SPEEDS_APART = 4, 3, 4, 0.02, 0.3


def main(experiments: int) -> None:
    print(f"{VARIANTS} variants against a reference, {ROUNDS} rounds of {ITEMS} items on each machine;\n"
          f"launches {100 * LAUNCHES_APART:g} % apart, machines {100 * SPEEDS_APART:g} %; {experiments} experiments a "
          "line.\n")  # fmt: skip
    print("How often of 100 all intervals of a table hold the truth at once:")
    for apart in APART:
        print(f"  ratios {100 * apart:g} % apart from machine to machine")
        for machines in MACHINES:
            kind, another, rounds = held(np.random.default_rng(machines), machines, apart, experiments)
            print(f"    {machines:2d} machines   the kind {kind:5.1f}   one more of them {another:5.1f}   "
                  f"by rounds {rounds:5.1f}")  # fmt: skip


def held(rng: np.random.Generator, machines: int, apart: float, experiments: int) -> tuple[float, float, float]:
    """Return how many of 100 tables hold: of the kind's means, of one more machine, of the means by rounds."""
    found = np.zeros(3)
    for _ in range(experiments):
        truth = rng.normal(0, 0.5, VARIANTS)
        logs: dict[int, list[float]] = {variant: [] for variant in range(VARIANTS)}
        pairs = {}
        sides: dict[int, list[tuple[Sample, Sample]]] = {variant: [] for variant in range(VARIANTS)}
        for machine in range(machines):
            speed = rng.normal(0, SPEEDS_APART)
            reference = made(rng, speed, machine, 0)
            for variant in range(VARIANTS):
                ours = made(rng, speed + truth[variant] + rng.normal(0, apart), machine, 1 + variant)
                sides[variant].append((ours, reference))
                levels = paired_levels(ours, reference)
                assert levels is not None
                logs[variant].append(levels.mean)
        over = over_machines({variant: np.array(values) for variant, values in logs.items()})
        further = truth + rng.normal(0, apart, VARIANTS) if apart else truth
        pairs = {variant: tuple(map(joined, zip(*of, strict=True))) for variant, of in sides.items()}
        by_rounds = ratios_together(levels_between(pairs))
        found += [
            all(low(one.low) <= truth[v] <= low(one.high) for v, one in over.items()),
            all(low(one.another_low) <= further[v] <= low(one.another_high) for v, one in over.items()),
            all(low(one.low_together) <= truth[v] <= low(one.high_together) for v, one in by_rounds.items()),
        ]
    return tuple(100 * found / experiments)


def made(rng: np.random.Generator, level: float, machine: int, variant: int) -> Sample:
    """Return the runs of a variant on a machine: each of its rounds is one of its own."""
    rounds = np.repeat(np.arange(ROUNDS) + ROUNDS * machine, ITEMS)
    items = np.tile(np.arange(ITEMS), ROUNDS)
    launches = rounds * (VARIANTS + 1) + variant
    logs = (
        level + 0.1 * items + np.repeat(rng.normal(0, LAUNCHES_APART, ROUNDS), ITEMS) + rng.normal(0, 0.01, len(items))
    )
    return Sample(np.exp(logs), rounds, launches, items)


def joined(samples: tuple[Sample, ...]) -> Sample:
    return Sample(
        *(np.concatenate([getattr(one, name) for one in samples]) for name in ("values", "rounds", "launches", "items"))
    )


def low(end: float | None) -> float:
    assert end is not None
    return math.log(end)


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 2000)
