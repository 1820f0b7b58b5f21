"""How often launches are said to fall into two groups: where they do not, and where one in four is in another mode.

    python benchmarks/bench_shape.py [TRIES]

Also the difference of the best two groups that 5 of 1000 samples of normal values reach: what `shape.BY_CHANCE` holds.
"""

import sys

import numpy as np

from unvek.core.stats.over_launches import shape
from unvek.core.stats.over_launches.shape import BY_CHANCE, two_groups

CHANCE = 0.005
MODES = 0.25


def main(tries: int) -> None:
    rng = np.random.default_rng(1)
    one_group = {
        "normal": lambda n: rng.normal(0, 1, n),
        "even": lambda n: rng.random(n),
        "heavy tails": lambda n: rng.standard_t(3, n),
        "skewed": lambda n: rng.gamma(2, 1, n),
    }
    of_modes = {
        f"modes {apart} apart": lambda n, apart=apart: rng.normal(0, 1, n) + apart * (rng.random(n) < MODES)
        for apart in (5, 8, 16)
    }
    print(f"of 100 samples of n launches, how many are said to be of two groups ({tries} samples each)")
    print("   n  " + "  ".join(f"{name:>14}" for name in (*one_group, *of_modes)))
    for n in (4, 5, 6, 8, 10, 15, 20, 30):
        shares = [np.mean([two_groups(drawn(n)) is not None for _ in range(tries)])
                  for drawn in (*one_group.values(), *of_modes.values())]  # fmt: skip
        print(f"{n:4}  " + "  ".join(f"{100 * share:14.1f}" for share in shares))
    print(f"\nhow far apart the best groups of normal values lie in {1000 * CHANCE:.0f} of 1000 samples, and as held")
    for n, held in BY_CHANCE.items():
        print(f"{n:4}  {_far_apart(rng, n, 20 * tries):6.2f}  {held:6.2f}")


def _far_apart(rng: np.random.Generator, n: int, tries: int) -> float:
    """The difference, in standard deviations within the groups, which is all that a bound of 0 leaves to be asked."""
    return float(np.quantile([shape.apart(np.sort(rng.normal(0, 1, n)))[1] for _ in range(tries)], 1 - CHANCE))


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 2000)
