"""python -m tests [MODULE ...]: the tests, a process for each module, side by side.

Most of what a test takes is starting processes and waiting for them, so that there is one more at a time than there are
processors. The largest modules begin first. What a module prints is shown where it fails.
"""

import os
import subprocess
import sys
import time
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor, as_completed
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parent.parent
LONGEST_S = 900


class Ended(NamedTuple):
    """How a module's tests went: what unittest said last, and all that it printed."""

    module: str
    passed: bool
    seconds: float
    said: str
    printed: str


def modules() -> list[str]:
    """Return all modules of tests, the largest first."""
    files = sorted(ROOT.glob("tests/**/test_*.py"), key=lambda path: -path.stat().st_size)
    return [".".join(path.relative_to(ROOT).with_suffix("").parts) for path in files]


def run(module: str) -> Ended:
    began_s = time.monotonic()
    command = [sys.executable, "-W", "error", "-m", "unittest", module]
    try:
        done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, timeout=LONGEST_S)
        passed, printed = done.returncode == 0, done.stdout + done.stderr
    except subprocess.TimeoutExpired as error:
        passed, printed = False, f"{error.output or b''!r}\n{error.stderr or b''!r}\nnot over after {LONGEST_S} s"
    said = " ".join(printed.strip().splitlines()[-3:]).replace("  ", " ")
    return Ended(module, passed, time.monotonic() - began_s, said, printed)


def main(chosen: Sequence[str]) -> int:
    began_s = time.monotonic()
    failed = []
    with ThreadPoolExecutor((os.cpu_count() or 1) + 1) as pool:
        for future in as_completed([pool.submit(run, module) for module in chosen or modules()]):
            ended = future.result()
            print(f"{ended.seconds:6.1f} s  {ended.module}: {ended.said}", flush=True)
            if not ended.passed:
                failed.append(ended)
    for ended in failed:
        print(f"\n=== {ended.module}\n{ended.printed}")
    words = f"{len(failed)} modules failed: {' '.join(ended.module for ended in failed)}" if failed else "all passed"
    print(f"\n{time.monotonic() - began_s:.0f} s, {words}")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
