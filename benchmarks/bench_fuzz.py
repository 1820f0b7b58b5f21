"""Thousands of garbled things at each door through which something comes in: what was refused, what went wrong.

Nothing may go wrong: a door refuses in its own words, or reads. Each try has a seed of its own, so that it can be made
again: `python benchmarks/bench_fuzz.py TRIES FIRST_SEED`.
"""

import resource
import sys
from pathlib import Path
from time import perf_counter

sys.path.insert(0, str(Path(__file__).parent.parent))
from benchmarks.doors import DOORS, tried

SLOW = {"import": 8}  # one of so many tries of the others: a logbook is made for each


def main() -> None:
    tries = int(sys.argv[1]) if len(sys.argv) > 1 else 4000
    first = int(sys.argv[2]) if len(sys.argv) > 2 else int(perf_counter())
    faults = 0
    print(f"{'door':<16} {'tries':>7} {'refused':>8} {'wrong':>6} {'a try':>9} {'memory at most':>15}")
    for name in DOORS:
        count, began_s = tries // SLOW.get(name, 1), perf_counter()
        refused, wrong = tried(name, count, first)
        each_ms = (perf_counter() - began_s) / count * 1e3
        peak_mib = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        print(
            f"{name:<16} {count:>7} {refused:>8} {len(wrong):>6} {each_ms:>6.2f} ms {peak_mib:>11.0f} MiB", flush=True
        )
        faults += len(wrong)
        for words in wrong[:10]:
            print(f"  {words}")
    print(f"first seed {first}: {faults} faults")
    sys.exit(1 if faults else 0)


if __name__ == "__main__":
    main()
