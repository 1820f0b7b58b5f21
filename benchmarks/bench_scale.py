"""100,000 runs: how long `compare`, `log`, `audit` and `curve` take, against reading alone and NumPy alone.

Run: python benchmarks/bench_scale.py [RUNS]
"""

import shutil
import subprocess
import sys
import tempfile
import time
from functools import partial
from pathlib import Path

import numpy as np
from common import paired_ratio_words, spread_words, unvek

from unvek.core.findings.gathering import gather
from unvek.core.logbook import tables
from unvek.core.logbook.store import Logbook

VARIANTS, TASKS, SEEDS, REPEATS = 10, 10, 10, 10
REPEATED = 5
READ = "import sqlite3, sys; sqlite3.connect(sys.argv[1]).execute('select * from runs').fetchall()"
COMMANDS = {
    "start alone": ("--version",),
    "compare": ("compare",),
    "log": ("log",),
    "audit": ("audit",),
    "curve steps": ("curve", "steps"),
    "log as JSON": ("log", "--as", "json"),
}


def main(runs: int) -> None:
    folder = Path(tempfile.mkdtemp(prefix="unvek-bench-"))
    try:
        count = fill(folder / "logbook", runs)
        print(f"{count} runs, {count // (TASKS * SEEDS * REPEATS)} launches; whole processes:")
        for name, command in COMMANDS.items():
            pairs = [
                (timed(partial(unvek, folder, *command)), timed(partial(read_alone, folder))) for _ in range(REPEATED)
            ]
            took_s, read_s = zip(*pairs, strict=True)
            print(f"  {name:12s} {spread_words(took_s, 's')}", flush=True)
            print(f"  {'':12s} of reading the runs alone: {paired_ratio_words(took_s, read_s)}", flush=True)
        against_numpy(folder / "logbook")
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def read_alone(folder: Path) -> None:
    """Read every column of every run, and do nothing with it: the limit of what works on all of them."""
    database = folder / "logbook" / "runs.sqlite"
    subprocess.run([sys.executable, "-c", READ, str(database)], check=True)


def against_numpy(path: Path) -> None:
    """One ratio with its interval, against a median of each side and one sort of both, in NumPy."""
    with Logbook.open(path) as logbook:
        evidence = gather(logbook)
    ours, theirs = (evidence.values("time.total")[evidence.of_variant(f"variant-{n}")] for n in (1, 0))
    both = np.r_[ours, theirs]
    launches = evidence.launch[evidence.of_variant("variant-1") | evidence.of_variant("variant-0")]

    def in_numpy() -> None:
        np.median(ours), np.median(theirs), np.lexsort((both, launches))

    ratio = partial(evidence.ratio_to_reference, "time.total", "variant-1")
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
        logbook.record_plan(Path("plan.toml"), "", content(cells))
        number = 0
        for round_number in range(1, rounds + 1):
            for variant in range(VARIANTS):
                launch = logbook.open_launch(f"variant-{variant}", round_number)
                logbook.describe_launch(launch, 0.1, None, {"packages": {"numpy": "2.1"}, "python": "3.11"})
                level = (1 + variant / 5) * rng.normal(1, 0.02)
                rows = []
                for place, (task, seed, repeat) in enumerate(np.ndindex(TASKS, SEEDS, REPEATS), 2):
                    number += 1
                    step_s = level * rng.normal(1, 0.01)
                    rows.append(row(number, launch, place, (variant, task, seed), round_number, repeat, step_s))
                with logbook._writing() as connection:
                    connection.execute(tables.runs.insert(), rows)
                    connection.execute(tables.run_details.insert(), [details(entry["number"]) for entry in rows])
    return number


def content(cells: list[tuple[int, int, int]]) -> dict:
    variant = {"form": "full", "settings": {"guidance": 1.0}, "weights_bytes": 10**6}
    task = {"prompt": "p", "seeds": list(range(SEEDS))}
    return {
        "title": "Scale", "reference": "variant-0", "quality": None, "rounds": 3, "repeats": REPEATS, "measures": [],
        "variants": [{"name": f"variant-{v}", **variant} for v in range(VARIANTS)],
        "tasks": [{"name": f"task-{t}", **task, "facts": {"steps": t + 1}} for t in range(TASKS)],
        "cells": [f"{v}/{t}/{s}" for v, t, s in cells], "vary": {},
    }  # fmt: skip


def row(number, launch, place, cell, round_number, repeat, step_s) -> dict:
    variant, task, seed = (int(part) for part in cell)
    steps = task + 1
    unknown = dict.fromkeys(
        ("error", "voided", "memory_device_bytes", "energy_j", "forecast_low_s", "forecast_high_s", "forecast_basis")
    )
    return unknown | {
        "number": number, "cell": f"{variant}/{task}/{seed}", "launch": launch, "place": place, "form": "full",
        "variant": f"variant-{variant}", "task": f"task-{task}", "seed": seed, "round": round_number,
        "repeat": int(repeat) + 1, "warm_up": False, "varied": {}, "status": "finished", "source": "measured",
        "started_at": "2026-11-23T10:00:00.000+00:00", "time_s": step_s * steps, "first_s": step_s, "steps": steps,
        "step_time_s": step_s, "memory_peak_bytes": 40 * 2**20, "cpu_s": step_s * steps, "tokens": 0, "trial": False,
        "others_share": 0.01, "stolen_share": 0.0,
    }  # fmt: skip


def details(number: int) -> dict:
    made_of = {"runner": "python", "script": {"painter.py": "a" * 64}, "files": {"w.safetensors": "b" * 64}}
    return {
        "run": number, "settings": {"steps": 8}, "limits": {}, "step_times_s": bytes(80), "phases_s": {}, "faults": [],
        "provenance": made_of, "exit_code": None, "log_tail": "", "text": "", "machine": {}, "piece_times_s": b"",
        "requests": [],
    }  # fmt: skip


if __name__ == "__main__":
    main(int(sys.argv[1]) if sys.argv[1:] else 100_000)
