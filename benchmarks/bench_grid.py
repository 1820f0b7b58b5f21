"""How often does an interval hold, in every corner? Experiments whose truth is known, over a grid of what users run.

Run: python benchmarks/bench_grid.py [EXPERIMENTS]    (1,000 a cell unless said; a quarter of an hour on two cores)

Of two variants: rounds 3, 5, 10 x items 1, 3, 12, 25 x repeats 1, 2, 3 x launches that differ by 0, 0.5, 2, 15 %, for
each kind of hardship. Of whole tables: 2, 4, 8 and 12 variants that are all alike, their spreads alike and apart.
"""

import os
import sys
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from itertools import product
from typing import NamedTuple

import numpy as np
from experiments import Hardships, runs_of

from unvek.core.plan.model import USUAL_MARGIN
from unvek.core.stats.conclusions.conclusion import conclusion
from unvek.core.stats.over_launches.launches import Sample, levels_between, paired_ratio, ratios_together

PLAIN = Hardships(skew=False, outliers=False, drift=False)
KINDS = {
    "normal": PLAIN,
    "heavy tails": replace(PLAIN, heavy=True),
    "skewed": replace(PLAIN, skew=True),
    "one run in thirty disturbed": replace(PLAIN, disturbed=True),
    "the machine drifts": replace(PLAIN, drift=True),
    "the later launch of a round 1 % slower": replace(PLAIN, within=True),
    "one cell in five missing": replace(PLAIN, missing=True),
    "skew, slow launches, disturbed runs, drift": Hardships(),
    "one launch in four 8 % slower": replace(PLAIN, modes=True),
}
ROUNDS, ITEMS, REPEATS, SPREADS = (3, 5, 10), (1, 3, 12, 25), (1, 2, 3), (0.0, 0.005, 0.02, 0.15)
TRUTH = 0.8
VARIANTS, APART, LACKING = (2, 4, 8, 12), (1.0, 2.0), (0.0, 0.2)
WORDS = ("faster", "slower")


class Cell(NamedTuple):
    """Of 100: how many intervals hold the truth; and half their width in percent, in the middle."""

    held: float
    width: float
    items: int
    repeats: int
    spread: float


def cell(kind: str, rounds: int, items: int, repeats: int, spread: float, experiments: int) -> Cell:
    rng = np.random.default_rng(hash((rounds, items, repeats, int(1000 * spread))) % 2**32)
    widths, held = [], 0
    while len(widths) < experiments:
        found = paired_ratio(*runs_of(rng, TRUTH, rounds, items, repeats, KINDS[kind], spread))
        if found is None or found.low is None or found.high is None:
            continue  # of a few cells, most of them missing, nothing is said
        held += found.low <= TRUTH <= found.high
        widths.append(50 * np.log(found.high / found.low))
    return Cell(100 * held / experiments, float(np.median(widths)), items, repeats, spread)


def table(variants: int, rounds: int, apart: float, lacking: float, experiments: int) -> tuple[float, float]:
    """Return of 100 tables of equals how many tell any apart, and of 100 single intervals how many hold.

    lacking: the share of cells that are missing.
    """
    rng = np.random.default_rng(variants * rounds)
    wrong = held = 0.0
    for _ in range(experiments):
        spreads = 0.02 * apart ** rng.uniform(-1, 1, variants)
        sides = [_alike(rng, rounds, number, spread, lacking) for number, spread in enumerate(spreads)]
        found = ratios_together(levels_between({n: (side, sides[0]) for n, side in enumerate(sides[1:])}))
        known = [ratio for ratio in found.values() if ratio.low is not None and ratio.high is not None]
        held += np.mean([ratio.low <= 1 <= ratio.high for ratio in known]) if known else 1.0
        wrong += any(conclusion(ratio, True, WORDS, USUAL_MARGIN.value) in WORDS for ratio in found.values())
    return 100 * wrong / experiments, 100 * held / experiments


def _alike(rng: np.random.Generator, rounds: int, number: int, spread: float, lacking: float) -> Sample:
    """The runs of a variant, three items and one repeat a launch, that takes as long as the others."""
    where = [place.ravel() for place in np.indices((rounds, 3))]
    logs = rng.normal(0, spread, (rounds, 1)) + rng.normal(0, 0.01, (rounds, 3))
    made = Sample(np.exp(logs).ravel(), where[0], 100 * where[0] + number, where[1])
    return made.where(rng.random(3 * rounds) >= lacking)


def shown(kind: str, rounds: int, cells: list[Cell]) -> str:
    least = min(cells)
    where = f"{least.items} items, {least.repeats} repeats, launches {100 * least.spread:g} %"
    held, over = np.mean([one.held for one in cells]), sum(one.held > 97 for one in cells)
    width = np.median([one.width for one in cells])
    return (f"{kind:44s} {rounds:2d}   {held:5.1f}   {least.held:5.1f} ({where})   {max(cells).held:5.1f}   "
            f"{over:2d} of {len(cells)}   {width:.2f} %")  # fmt: skip


def asked(kind: str, rounds: int, experiments: int) -> Iterator[tuple[object, ...]]:
    for items, repeats, spread in product(ITEMS, REPEATS, SPREADS):
        yield kind, rounds, items, repeats, spread, experiments


def main(experiments: int) -> None:
    error = np.sqrt(0.05 * 0.95 / experiments)
    print(f"{experiments} experiments a cell: the standard error of a share is {100 * error:.1f}\n")
    print("Of 100, 95 % intervals that hold the truth; 48 cells a line (items x repeats x how launches differ):")
    print(f"{'kind':44s} rounds  mean   least (where)   most   cells above 97   half a width, in the middle")
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for kind, rounds in product(KINDS, ROUNDS):
            cells = list(pool.map(cell, *zip(*asked(kind, rounds, experiments), strict=True)))
            print(shown(kind, rounds, cells), flush=True)
        print("\nOf 100 tables of equals, those that tell any apart; of 100 single intervals in them, those that hold:")
        lines = list(product(VARIANTS, ROUNDS, APART, LACKING))
        found = pool.map(table, *zip(*((*line, 2 * experiments) for line in lines), strict=True))
        for (variants, rounds, apart, lacking), (wrong, held) in zip(lines, found, strict=True):
            spreads = "alike" if apart == 1 else f"up to {apart:g} times apart either way"
            spreads += f", {100 * lacking:.0f} % of cells missing" if lacking else ""
            print(f"{variants:3d} variants, {rounds:2d} rounds, spreads {spreads:54s} {wrong:4.1f}   {held:4.1f}")


if __name__ == "__main__":
    main(int(sys.argv[1]) if sys.argv[1:] else 1000)
