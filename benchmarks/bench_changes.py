"""Before and after: how often a check each night says that something got worse, where nothing has, and where it has.

Run: python benchmarks/bench_changes.py [EXPERIMENTS]

Sessions of one machine differ by more than launches within one; two sessions alone can't tell by how much.
"""

import sys
from collections.abc import Callable, Iterator
from functools import partial
from itertools import product

import numpy as np
from common import print_made

from unvek.core.plan.model import USUAL_MARGIN
from unvek.core.stats.conclusions.conclusion import conclusion
from unvek.core.stats.over_launches.apart import Sides, ratios_apart
from unvek.core.stats.over_launches.launches import Sample

MARGIN = USUAL_MARGIN.value
SPEED = ("faster", "slower")
VARIANTS, ROUNDS, ITEMS, LAUNCH_SPREAD, RUN_SPREAD = 5, 3, 6, 0.01, 0.01


def of_nights(before: int, apart: float, slower: float, experiments: int) -> str:
    """How often any of five variants is called slower by more than its margin, the first being truly so much slower."""
    rng = np.random.default_rng(before)
    alarms = of_first = 0
    for _ in range(experiments):
        sides = {}
        days = rng.normal(0, apart, (before + 1, 1)) + rng.normal(0, apart / 3, (before + 1, VARIANTS))
        for variant in range(VARIANTS):
            later = night(rng, days[-1:, variant] + (np.log1p(slower) if variant == 0 else 0.0))
            earlier = night(rng, days[:-1, variant])
            units = [side.launches if before < 3 else side.rounds for side in (later, earlier)]
            sides[variant] = Sides(later, earlier, *units)
        found = ratios_apart(sides)
        slower_ones = {n: ratio for n, ratio in found.items() if conclusion(ratio, True, SPEED, MARGIN) == SPEED[1]}
        worse = [variant for variant, ratio in slower_ones.items() if ratio.value > 1 + MARGIN]
        alarms += bool(worse if not slower else [one for one in worse if one])
        of_first += 0 in worse
    said = f"false alarms in {100 * alarms / experiments:4.1f} of 100 nights"
    return said + (f"; the slower one is told in {100 * of_first / experiments:.0f}" if slower else "")


def night(rng: np.random.Generator, levels: np.ndarray) -> Sample:
    """The runs of one variant in so many sessions: `rounds` are these, launches differ within."""
    shape = (len(levels), ROUNDS, ITEMS)
    session, launch, item = (place.ravel() for place in np.indices(shape))
    launches = rng.normal(0, LAUNCH_SPREAD, (len(levels), ROUNDS, 1))
    logs = levels[:, None, None] + launches + rng.normal(0, RUN_SPREAD, shape)
    return Sample(np.exp(logs).ravel(), session, session * ROUNDS + launch, item)


def asked(experiments: int) -> Iterator[tuple[str, str, Callable[[], str]]]:
    for slower, apart, before in product((0.0, 0.1), (0.0, 0.01, 0.03), (1, 2, 3, 5, 10, 30)):
        what = f"{100 * slower:g} % slower" if slower else "nothing has changed"
        yield (f"{what}, sessions differ by {100 * apart:g} %", f"{before} sessions before",
               partial(of_nights, before, apart, slower, experiments))  # fmt: skip


if __name__ == "__main__":
    print_made(list(asked(int(sys.argv[1]) if sys.argv[1:] else 1000)), width=22)
