"""How long commands take to start: `--help` held against importing Click, those that read against Click and SQLAlchemy.

The reading commands are asked about a small logbook, to their end: what is left is nearly all start-up.
"""

import compileall
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from common import UNVEK, paired_ratio_words, spread_words, unvek

import unvek as package

PAIRS = 30
HELP_ALLOWED, READING_ALLOWED = 1.5, 2.5
READING = ("compare", "log", "audit", "tradeoff")


def seconds(command: list[str], folder: Path) -> float:
    began = time.perf_counter()
    subprocess.run(command, cwd=folder, check=True, stdout=subprocess.DEVNULL)
    return time.perf_counter() - began


def compare(ours: list[str], theirs: str, allowed: float, folder: Path) -> None:
    """Print how long both take, and the ratio, from pairs made by turns."""
    imported = [sys.executable, "-c", f"import {theirs}"]
    for command in (ours, imported):
        seconds(command, folder)
    pairs = [(seconds(ours, folder), seconds(imported, folder)) for _ in range(PAIRS)]
    our_s, their_s = zip(*pairs, strict=True)
    print(f"unvek {ours[-1]:<10} {spread_words(our_s, 'ms', 1000)}")
    print(f"import {theirs}: {spread_words(their_s, 'ms', 1000)}")
    print(f"ratio            {paired_ratio_words(our_s, their_s)}; promised: at most {allowed}")


def main() -> None:
    # As pip leaves it: where nothing may be written, each start would compile the sources again.
    compileall.compile_dir(Path(package.__file__).parent, quiet=1)
    with tempfile.TemporaryDirectory(prefix="unvek-bench-") as name:
        folder = Path(name)
        compare([*UNVEK, "--help"], "click", HELP_ALLOWED, folder)
        rows = (f"{variant},{task},{place / 10}" for variant in "abc" for task in "xy" for place in range(10, 20))
        (folder / "runs.csv").write_text("variant,task,time_s\n" + "\n".join(rows) + "\n")
        unvek(folder, "import", "runs.csv", "--here")
        for command in READING:
            compare([*UNVEK, command], "click, sqlalchemy", READING_ALLOWED, folder)


if __name__ == "__main__":
    main()
