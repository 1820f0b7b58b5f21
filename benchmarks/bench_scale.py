"""Many runs: how long commands take and what they hold, against reading the rows alone; and how both grow.

Run: python benchmarks/bench_scale.py [RUNS ...]    (100,000; with 100000 1000000 their growth, about 40 minutes)
"""

import shutil
import subprocess
import sys
import tempfile
import time
from functools import partial
from itertools import pairwise
from pathlib import Path

import numpy as np
from common import paired_ratio_words, spread_words, started_alone

from unvek.core.evidence.gathering import gather
from unvek.core.ids import new_id
from unvek.core.logbook import tables
from unvek.core.logbook.inserting import insert_all
from unvek.core.logbook.rows import KeptRun, RunDetails
from unvek.core.logbook.store import Logbook
from unvek.core.plan.model import Limits, Plan, Schedule, Task, Variant
from unvek.core.run.events.record import LaunchAbout, Provenance
from unvek.core.stats.over_launches.launches import _pairing

VARIANTS, TASKS, SEEDS, REPEATS = 10, 10, 10, 10
REPEATED = 3
READ = "import sqlite3, sys; sqlite3.connect(sys.argv[1]).execute('select * from runs').fetchall()"
COMMANDS = {
    "start alone": ("--version",),
    "compare": ("compare",),
    "log": ("log",),
    "audit": ("audit",),
    "tradeoff": ("tradeoff",),
    "curve steps": ("curve", "steps"),
    "log as JSON": ("log", "--as", "json"),
    "log as CSV": ("log", "--as", "csv"),
    "export": ("export", "runs.jsonl"),
    "import": ("import", "runs.jsonl", "--logbook", "brought"),
}


def main(sizes: list[int]) -> None:
    found = [of_size(runs) for runs in sizes]
    for (few, short_s), (many, long_s) in pairwise(zip(sizes, found, strict=True)):
        print(f"\nfrom {few} to {many} runs, time grows with this power of their number (1: as they do):")
        for name in COMMANDS:
            print(f"  {name:12s} {np.log(long_s[name] / short_s[name]) / np.log(many / few):.2f}")


def of_size(runs: int) -> dict[str, float]:
    """Show what commands take of so many runs, and return their median seconds."""
    found = {}
    folder = Path(tempfile.mkdtemp(prefix="unvek-bench-"))
    try:
        count = fill(folder / "logbook", runs)
        print(f"{count} runs, {count // (TASKS * SEEDS * REPEATS)} launches; whole processes:")
        for name, command in COMMANDS.items():
            took_s, read_s, held = [], [], []
            for _ in range(REPEATED):
                shutil.rmtree(folder / "brought", ignore_errors=True)
                code, seconds, mib, said = started_alone(folder, *command)
                if code:
                    raise SystemExit(f"unvek {' '.join(command)}: {said}")
                took_s.append(seconds)
                held.append(mib)
                read_s.append(timed(partial(read_alone, folder)))
            found[name] = float(np.median(took_s))
            print(f"  {name:12s} {spread_words(took_s, 's')}, {max(held):.0f} MiB", flush=True)
            print(f"  {'':12s} of reading the runs alone: {paired_ratio_words(took_s, read_s)}", flush=True)
        against_numpy(folder / "logbook")
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    return found


def read_alone(folder: Path) -> None:
    """Read every column of every run, and do nothing with it: the limit of what works on all of them."""
    database = folder / "logbook" / "runs.sqlite"
    subprocess.run([sys.executable, "-c", READ, str(database)], check=True)


def against_numpy(path: Path) -> None:
    """One ratio with its interval, against a median of each side and one sort of both, in NumPy."""
    with Logbook.open(path) as logbook:
        evidence = gather(logbook)
    ours, theirs = (evidence.values.of("time.total")[evidence.runs.of_variant(f"variant-{n}")] for n in (1, 0))
    both = np.r_[ours, theirs]
    launches = evidence.runs.launch[evidence.runs.of_variant("variant-1") | evidence.runs.of_variant("variant-0")]

    def in_numpy() -> None:
        np.median(ours), np.median(theirs), np.lexsort((both, launches))

    def ratio() -> None:
        evidence._ratios.clear()  # what was found once is kept
        _pairing.cache_clear()
        evidence.ratio_to_reference("time.total", "variant-1")

    statistics_s, numpy_s = zip(*[(timed(ratio), timed(in_numpy)) for _ in range(30)], strict=True)
    print(f"\na ratio of {len(both)} runs with its interval: {spread_words(statistics_s, 'ms', 1e3)}")
    print(f"  against two medians and one sort of the same in NumPy: {paired_ratio_words(statistics_s, numpy_s)}")


def timed(work) -> float:
    began_s = time.perf_counter()
    work()
    return time.perf_counter() - began_s


def fill(path: Path, runs: int) -> int:
    """Write a logbook of so many runs straight into its tables, as an engine would have left it."""
    rng = np.random.default_rng(1)
    cells = [(v, t, s) for v in range(VARIANTS) for t in range(TASKS) for s in range(SEEDS)]
    rounds = max(1, runs // (len(cells) * REPEATS))
    with Logbook.make_or_open(path) as logbook:
        logbook.record_rig("bench", {"processor": "p", "cores": 2, "memory_bytes": 2**34, "system": "s", "kernel": "k"})
        logbook.record_plan(
            plan(), [f"{v}/{t}/{s}" for v, t, s in cells], {f"variant-{v}": 10**6 for v in range(VARIANTS)}
        )
        number = 0
        for round_number in range(1, rounds + 1):
            for variant in range(VARIANTS):
                launch = logbook.open_launch(f"variant-{variant}", round_number)
                logbook.describe_launch(launch, 0.1, None, LaunchAbout(packages={"numpy": "2.1"}, python="3.11"))
                level = (1 + variant / 5) * rng.normal(1, 0.02)
                rows = []
                for place, (task, seed, repeat) in enumerate(np.ndindex(TASKS, SEEDS, REPEATS), 2):
                    number += 1
                    step_s = level * rng.normal(1, 0.01)
                    rows.append(row(number, launch, place, (variant, task, seed), round_number, repeat, step_s))
                with logbook._writing() as connection:
                    insert_all(connection, tables.runs, rows)
                    insert_all(connection, tables.run_details, (details(entry.number) for entry in rows))
    return number


def plan() -> Plan:
    variants = (
        Variant(
            name=f"variant-{v}", form="full", runner="", of=None, weights=(), parts={}, settings={"guidance": 1.0},
            limits=Limits(),
        )
        for v in range(VARIANTS)
    )  # fmt: skip
    tasks = (
        Task(
            name=f"task-{t}", prompt="p", seeds=tuple(range(SEEDS)), inputs=(), expect=(), wanted=(),
            facts={"steps": t + 1}, settings={},
        )
        for t in range(TASKS)
    )  # fmt: skip
    return Plan(
        path=Path("plan.toml"), text="", title="Scale", reference="variant-0", quality=None,
        schedule=Schedule(rounds=3, repeats=REPEATS), runners={}, variants=tuple(variants), tasks=tuple(tasks),
    )  # fmt: skip


def row(number, launch, place, cell, round_number, repeat, step_s) -> KeptRun:
    variant, task, seed = (int(part) for part in cell)
    steps = task + 1
    return KeptRun(
        number=number, id=new_id(), cell=f"{variant}/{task}/{seed}", launch=launch, place=place,
        variant=f"variant-{variant}", task=f"task-{task}", seed=seed, round=round_number, repeat=int(repeat) + 1,
        status="finished", started_at="2026-11-23T10:00:00.000+00:00", time_s=step_s * steps, first_s=step_s,
        steps=steps, step_time_s=step_s, memory_peak_bytes=40 * 2**20, cpu_s=step_s * steps, others_share=0.01,
        stolen_share=0.0,
    )  # fmt: skip


def details(number: int) -> RunDetails:
    made_of = Provenance(runner="python", script={"painter.py": "a" * 64}, files={"w.safetensors": "b" * 64})
    return RunDetails(run=number, settings={"steps": 8}, step_times_s=bytes(80), provenance=made_of)


if __name__ == "__main__":
    main([int(runs) for runs in sys.argv[1:]] or [100_000])
