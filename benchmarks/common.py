"""What the benchmarks share: medians in words, paired ratios, and a project to run."""

import json
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from pathlib import Path

import numpy as np

from unvek.core.stats.student import mean_and_half_width
from unvek.demo import lay_out

# A machine of its own: a benchmark waits for nobody, and nobody for it.
os.environ.setdefault("UNVEK_MACHINE_LOCK", f"{tempfile.gettempdir()}/unvek-benchmarks.lock")
UNVEK = [sys.executable, "-m", "unvek"]


def spread_words(values: Sequence[float], unit: str, scale: float = 1.0) -> str:
    """Word values as their median with smallest and largest."""
    low, middle, high = min(values), statistics.median(values), max(values)
    return f"{middle * scale:.4g} {unit} (from {low * scale:.4g} to {high * scale:.4g}, {len(values)} values)"


def paired_ratio_words(ours: Sequence[float], theirs: Sequence[float]) -> str:
    """Word the ratio of pairs with its 95 % interval, on the log scale."""
    mean, half_width = mean_and_half_width(np.log(np.array(ours) / np.array(theirs)))
    low, high = np.exp(mean - (half_width or 0)), np.exp(mean + (half_width or 0))
    return f"{np.exp(mean):.4f} (95 % from {low:.4f} to {high:.4f}, {len(ours)} pairs)"


@contextmanager
def demo_project(plan_changes: dict[str, str], variants: int) -> Iterator[Path]:
    """Lay the demo out in a temporary folder, with the first variants only and changes to the text of its plan."""
    folder = Path(tempfile.mkdtemp(prefix="unvek-bench-"))
    try:
        plan = lay_out(folder / "row", quick=True)
        head, *tables = plan.read_text(encoding="utf-8").split("[[variants]]")
        rest = "[[tasks]]" + tables[-1].partition("[[tasks]]")[2]
        text = "[[variants]]".join([head, *(table.partition("[[tasks]]")[0] for table in tables[:variants])]) + rest
        for old, new in plan_changes.items():
            if old not in text:
                raise SystemExit(f"the demo's plan has no {old!r}")
            text = text.replace(old, new)
        plan.write_text(text, encoding="utf-8")
        yield folder / "row"
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def unvek(folder: Path, *arguments: str) -> str:
    """Run the program, and return its standard output."""
    return subprocess.run([*UNVEK, *arguments], cwd=folder, check=True, capture_output=True, text=True).stdout


def result(folder: Path, *arguments: str) -> dict:
    """Run the program, and return its result as JSON values."""
    return json.loads(unvek(folder, *arguments, "--as", "json"))


def print_made(lines: Sequence[tuple[str, str, Callable[[], str]]], width: int) -> None:
    """Make each of the lines, (what it is about, what it is, what makes it), on all cores, and print them in order."""
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        head = ""
        for (about, words, _), found in zip(lines, pool.map(_made, [one for *_, one in lines]), strict=True):
            if about != head:
                print(f"\n{about}")
                head = about
            print(f"  {words:{width}s} {found}", flush=True)


def _made(one: Callable[[], str]) -> str:
    return one()


ALONE = """
import atexit, sys
from unvek.cli import main
peak = sys.argv.pop(1)
atexit.register(lambda: open(peak, "w").write(
    next(line.split()[1] for line in open("/proc/self/status") if line.startswith("VmHWM"))))
sys.argv[0] = "unvek"
main()
"""


def started_alone(folder: Path, *arguments: str) -> tuple[int, float, float, str]:
    """Start the program; return its exit code, its seconds, the most MiB that it held, and what it said beside."""
    with tempfile.TemporaryDirectory() as name:
        peak = Path(name) / "peak"
        began_s = time.monotonic()
        done = subprocess.run(
            [sys.executable, "-c", ALONE, str(peak), *arguments], cwd=folder, stdout=subprocess.DEVNULL,
            stderr=subprocess.PIPE, text=True,
        )  # fmt: skip
        return done.returncode, time.monotonic() - began_s, int(peak.read_text()) / 1024, done.stderr
