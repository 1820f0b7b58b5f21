"""How long `unvek --help` takes, as a ratio to starting Python and importing Click."""

import shutil
import subprocess
import sys
import time
from pathlib import Path

from common import paired_ratio_words, spread_words

PAIRS = 40
ALLOWED = 1.5


def seconds(command: list[str]) -> float:
    began = time.perf_counter()
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
    return time.perf_counter() - began


def main() -> None:
    program = shutil.which("unvek", path=str(Path(sys.executable).parent))
    if program is None:
        raise SystemExit("install Unvek into this Python's environment first: pip install -e .")
    ours_command, theirs_command = [program, "--help"], [sys.executable, "-c", "import click"]
    for command in (ours_command, theirs_command):
        seconds(command)
    pairs = [(seconds(ours_command), seconds(theirs_command)) for _ in range(PAIRS)]
    ours, theirs = zip(*pairs, strict=True)
    print("unvek --help    ", spread_words(ours, "ms", 1000))
    print("import click    ", spread_words(theirs, "ms", 1000))
    print("ratio           ", paired_ratio_words(ours, theirs), f"; promised: at most {ALLOWED}")


if __name__ == "__main__":
    main()
