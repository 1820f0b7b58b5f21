"""Whether watching disturbs what is watched: the demo's step times with the live view and without, in turn."""

import json
import os
import pty
import subprocess
import threading
import time
from pathlib import Path

import psutil
from common import UNVEK, demo_project, paired_ratio_words, spread_words

PAIRS = 10
PLAN_CHANGES = {"rounds = 3 ": "rounds = 1 ", "repeats = 1 ": "repeats = 6 "}


def run_watched(folder: Path, live: bool) -> float:
    """Run the demo's plan on a terminal; return the share of a core that the engine took, the model's aside."""
    ours, theirs = pty.openpty()
    arguments = ["run", "--afresh"] + ([] if live else ["--plain"])
    environment = {**os.environ, "TERM": "xterm-256color", "COLUMNS": "120", "LINES": "40"}
    process = subprocess.Popen(
        [*UNVEK, *arguments], cwd=folder, stdin=theirs, stdout=theirs, stderr=theirs, env=environment
    )
    os.close(theirs)
    reader = threading.Thread(target=drain, args=(ours,), daemon=True)
    reader.start()
    samples: list[tuple[float, float]] = []
    engine = psutil.Process(process.pid)
    while process.poll() is None:
        try:
            taken = engine.cpu_times()
            samples.append((time.monotonic(), taken.user + taken.system))
        except psutil.Error:
            break
        time.sleep(0.1)
    process.wait()
    reader.join(5)
    os.close(ours)
    working = samples[len(samples) // 5 : -3]  # neither the starting nor the ending
    return (working[-1][1] - working[0][1]) / (working[-1][0] - working[0][0])


def drain(fd: int) -> None:
    try:
        while os.read(fd, 65536):
            pass
    except OSError:
        return


def step_times(folder: Path) -> dict[str, float]:
    """Return the median step time of each variant in the newest runs."""
    text = subprocess.run([*UNVEK, "compare", "--as", "json"], cwd=folder, check=True, capture_output=True).stdout
    return {row["variant"]: row["measures"]["step.time"]["median"] for row in json.loads(text)["rows"]}


def main() -> None:
    with demo_project(PLAN_CHANGES) as folder:
        run_watched(folder, live=False)
        found: dict[bool, list[dict[str, float]]] = {True: [], False: []}
        shares: dict[bool, list[float]] = {True: [], False: []}
        for pair in range(PAIRS):
            for live in (True, False) if pair % 2 else (False, True):
                shares[live].append(run_watched(folder, live))
                found[live].append(step_times(folder))
        print("step times with the live view over those without it; 1 is no difference")
        for variant in found[True][0]:
            ours, theirs = ([times[variant] for times in found[live]] for live in (True, False))
            print(f"  {variant:<16}", paired_ratio_words(ours, theirs))
        print("share of one core that the engine takes, many short runs, each kept with its outputs:")
        print("  with the live view   ", spread_words(shares[True], "%", 100))
        print("  with plain lines     ", spread_words(shares[False], "%", 100))


if __name__ == "__main__":
    main()
