"""What the engine takes while a model works, in memory and of a core, however long the plan and the logbook are."""

import signal
import sqlite3
import subprocess
import tempfile
import time
from pathlib import Path

import psutil
from common import UNVEK, unvek

MEASURE_FOR_S = 20.0
EARLIER_RUNS = 100_000
SCRIPT = """
import time
def load(variant):
    return None
def run(model, job, probe):
    for _ in range(job.settings["steps"]):
        time.sleep(0.05)
        probe.step()
"""
PLAN = """
[schedule]
rounds = {rounds}
repeats = {repeats}
warmups = 0
[runners.script]
script = "model.py"
[[variants]]
name = "one"
settings = {{ steps = {steps} }}
[[variants]]
name = "two"
settings = {{ steps = {steps} }}
[[tasks]]
name = "t"
prompt = "p"
seeds = {seeds}
"""


def write_plan(folder: Path, rounds: int, repeats: int, seeds: int, steps: int) -> None:
    text = PLAN.format(rounds=rounds, repeats=repeats, seeds=list(range(seeds)), steps=steps)
    (folder / "plan.toml").write_text(text)


def fill_logbook(folder: Path, runs: int) -> None:
    """Make two runs, and copy one of them under as many other numbers as are wanted."""
    write_plan(folder, rounds=1, repeats=1, seeds=1, steps=1)
    unvek(folder, "run", "--plain")
    with sqlite3.connect(folder / "logbook" / "runs.sqlite") as database:
        for table, key in (("run_details", "run"), ("runs", "number")):
            columns = [row[1] for row in database.execute(f"pragma table_info({table})") if row[1] != key]
            names = ", ".join(columns)
            database.execute(
                "with recursive place(n) as (select 1 + (select max(number) from runs) "
                f"union all select n + 1 from place where n < {runs}) "
                f"insert into {table} ({key}, {names}) select n, {names} from {table}, place where {key} = 1"
            )
    database.close()


def measured(folder: Path) -> tuple[float, float, float]:
    """Return (share of a core, largest memory in MiB, seconds to the first run) of an engine at work."""
    began_s = time.monotonic()
    process = subprocess.Popen(
        [*UNVEK, "run", "--plain"], cwd=folder, stderr=subprocess.DEVNULL, start_new_session=True
    )
    engine = psutil.Process(process.pid)
    while not list((folder / "logbook" / "outputs").glob(".making-*")):
        time.sleep(0.05)
    first_s = time.monotonic() - began_s
    time.sleep(2)
    before, memory, at_s = engine.cpu_times(), 0, time.monotonic()
    while time.monotonic() - at_s < MEASURE_FOR_S:
        memory = max(memory, engine.memory_info().rss)
        time.sleep(0.2)
    after = engine.cpu_times()
    share = (after.user + after.system - before.user - before.system) / (time.monotonic() - at_s)
    process.send_signal(signal.SIGTERM)
    process.wait(20)
    return share, memory / 2**20, first_s


def main() -> None:
    print("the engine while a model works (20 steps a second); promised: under 1 % of a core and 80 MiB")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "model.py").write_text(SCRIPT)
        for words, rounds, repeats, seeds, earlier in (
            ("a plan of 4 runs", 1, 1, 2, 0),
            ("a plan of 2,000,000 runs", 1000, 10, 100, 0),
            (f"the same, and {EARLIER_RUNS:,} runs in the logbook", 1000, 10, 100, EARLIER_RUNS),
        ):
            if earlier:
                fill_logbook(folder, earlier)
            write_plan(folder, rounds, repeats, seeds, steps=100_000)
            share, memory, first_s = measured(folder)
            print(f"   {words:<42} {100 * share:.2f} % of a core, {memory:.1f} MiB; {first_s:.1f} s to the first run")


if __name__ == "__main__":
    main()
