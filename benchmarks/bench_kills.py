"""A soak: the engine's process group is killed at random instants, and all that it had said to be kept is looked for.

python bench_kills.py [KILLS]    (40 if not given; a thousand take about twenty minutes)
"""

import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

from common import UNVEK, result, unvek

SCRIPT = """
import time
def load(variant):
    return None
def run(model, job, probe):
    for _ in range(5):
        time.sleep(0.001)
        probe.step()
    probe.output(bytes(2000), "label.bin")
"""
PLAN = """
[schedule]
rounds = 1000
repeats = 1
warmups = 1
[runners.script]
script = "model.py"
[[variants]]
name = "one"
[[variants]]
name = "two"
[[tasks]]
name = "t"
prompt = "p"
seeds = [1, 2, 3, 4]
"""


LONGEST_S = 1.6  # from the start to the kill: in the start-up, in a load, in a run, in the keeping of one
COUNT_EVERY = 5


def finished(folder: Path) -> Counter:
    rows = result(folder, "log")["rows"]
    return Counter(
        (r["variant"], r["seed"], r["round"], r["repeat"])
        for r in rows
        if not r["warm_up"] and r["status"] == "finished"
    )


def main() -> None:
    kills = int(sys.argv[1]) if len(sys.argv) > 1 else 40
    rng = random.Random(1)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "model.py").write_text(SCRIPT)
        (folder / "plan.toml").write_text(PLAN)
        before: Counter = Counter()
        said = 0  # runs that the engine has said to be kept, before it was killed
        for number in range(1, kills + 1):
            command = [*UNVEK, "run", "--plain"]
            process = subprocess.Popen(command, cwd=folder, start_new_session=True, stderr=subprocess.PIPE, text=True)
            time.sleep(rng.uniform(0.0, LONGEST_S))
            os.killpg(process.pid, signal.SIGKILL)
            lines = process.communicate()[1].splitlines()
            said += sum(" round " in line and "warm-up" not in line for line in lines)
            if number % COUNT_EVERY or not (folder / "logbook" / "runs.sqlite").exists():
                continue
            now = finished(folder)
            lost = before.keys() - now.keys()
            twice = [slot for slot, count in now.items() if count > 1]
            if lost or twice or sum(now.values()) < said:
                raise SystemExit(f"kill {number}: lost {len(lost)}, measured twice {len(twice)}, said {said} kept")
            before = now
        # Now let it finish: as many rounds as have been begun.
        rounds = max((slot[2] for slot in before), default=1)
        (folder / "plan.toml").write_text(PLAN.replace("rounds = 1000", f"rounds = {rounds}"))
        unvek(folder, "run")
        counts = finished(folder)
        whole = len(counts) == 8 * rounds and set(counts.values()) == {1}
        cut_off = result(folder, "log", "--status", "interrupted")["rows"]
        print(f"{kills} kills; {said} runs said to be kept, {sum(before.values())} found, {len(cut_off)} cut off and "
              "kept as interrupted; nothing lost, nothing twice; "
              f"the same command then finished all {len(counts)} cells: {'yes' if whole else 'NO'}")  # fmt: skip
        if not whole:
            raise SystemExit(1)


if __name__ == "__main__":
    main()
