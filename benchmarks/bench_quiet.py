"""Whether watching disturbs what is watched: the demo's step times with the live view and without, in turn."""

import json
import os
import pty
import subprocess
import threading
import time
from pathlib import Path

import psutil
from common import UNVEK, demo_project, paired_ratio_words

PAIRS = 30
SHORT_RUNS = {"rounds = 3 ": "rounds = 1 ", "repeats = 1 ": "repeats = 8 "}
ONE_LONG_RUN = {"rounds = 3 ": "rounds = 1 ", "seeds = [2, 5]": "seeds = [2]", "warmups = 1 ": "warmups = 0 ",
                "steps = 20": "steps = 800"}  # fmt: skip


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


def step_time(folder: Path) -> float:
    """Return the median step time of the newest runs."""
    text = subprocess.run([*UNVEK, "compare", "--as", "json"], cwd=folder, check=True, capture_output=True).stdout
    return float(json.loads(text)["rows"][0]["measures"]["step.time"]["typical"])


def main() -> None:
    with demo_project(SHORT_RUNS, variants=1) as folder:
        run_watched(folder, live=False)
        found: dict[bool, list[float]] = {True: [], False: []}
        for pair in range(PAIRS):
            for live in (True, False) if pair % 2 else (False, True):
                run_watched(folder, live)
                found[live].append(step_time(folder))
        print("step times of the demo's full variant, live view over plain lines; 1 is no difference:")
        print("  ", paired_ratio_words(found[True], found[False]))
    with demo_project(ONE_LONG_RUN, variants=1) as folder:
        shares = {live: run_watched(folder, live) for live in (False, True)}
        print("share of one core that the engine takes while a run lasts; promised: under 1 %")
        print(f"   {100 * shares[False]:.2f} % with plain lines, {100 * shares[True]:.2f} % with the live view")


if __name__ == "__main__":
    main()
