"""What a step event costs the model's process, and how truly steps of known length are measured."""

import json
import tempfile
from pathlib import Path

import numpy as np
from common import unvek

SCRIPT = """
import statistics
from time import perf_counter_ns

def load(variant):
    return None

def run(model, job, probe):
    if job.settings["do"] == "cost":
        costs = []
        for _ in range(job.settings["calls"]):
            began = perf_counter_ns()
            probe.step(of=job.settings["calls"])
            costs.append(perf_counter_ns() - began)
        probe.value("cost.typical", statistics.median(costs), "ns")
        probe.value("cost.99", sorted(costs)[len(costs) * 99 // 100], "ns")
        return
    # Steps of known length: each ends when the clock has come so far, and the clock is noted just before the stamp.
    length = job.settings["length_ns"]
    probe.phase("steps")
    before = perf_counter_ns()
    noted = []
    for number in range(job.settings["calls"]):
        until = before + length
        while perf_counter_ns() < until:
            pass
        now = perf_counter_ns()
        probe.step()
        noted.append(now - before)
        before = now
    (job.out / "noted.txt").write_text(" ".join(map(str, noted)))
"""

PLAN = """
[schedule]
rounds = 1
repeats = 1
warmups = 0
[runners.script]
script = "model.py"
[[tasks]]
name = "t"
prompt = "p"
"""
LENGTHS_MS = (1, 10, 100, 1000)
CALLS = {1: 500, 10: 100, 100: 20, 1000: 3}


def variant(name: str, settings: str) -> str:
    return f'[[variants]]\nname = "{name}"\nsettings = {{ {settings} }}\n'


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "model.py").write_text(SCRIPT)
        variants = [variant(f"cost-{n}", 'do = "cost", calls = 20000') for n in range(5)]
        for ms in LENGTHS_MS:
            settings = f'do = "truth", calls = {CALLS[ms]}, length_ns = {ms * 1_000_000}'
            variants.append(variant(f"ms-{ms}", settings))
        (folder / "plan.toml").write_text(PLAN + "\n".join(variants))
        unvek(folder, "run")
        rows = json.loads(unvek(folder, "log", "--as", "json"))["rows"]
        for row in rows:
            run = json.loads(unvek(folder, "show", str(row["run"]), "--as", "json"))
            if row["variant"].startswith("cost"):
                costs = run["measures"]
                print(f"a step event costs {costs['cost.typical'] / 1000:.2f} us (median of 20,000; 99 in 100 under "
                      f"{costs['cost.99'] / 1000:.2f} us); promised: under 3 us")  # fmt: skip
            else:
                report_truth(row["variant"], folder, run)


def report_truth(name: str, folder: Path, run: dict) -> None:
    noted_s = np.array((folder / "logbook" / run["outputs"][0]["path"]).read_text().split(), float) * 1e-9
    measured_s = np.array(run["step_times_s"])
    error_s = np.abs(measured_s - noted_s)[1:]  # the first step also holds the call that opened the phase
    allowed = np.maximum(1e-4, 1e-3 * noted_s[1:])
    errors = f"{np.median(error_s) * 1e6:6.2f} us in the middle, {error_s.max() * 1e6:7.2f} us at worst"
    held = f"{np.count_nonzero(error_s <= allowed)} of {len(error_s)} within 0.1 % or 100 us"
    print(f"steps of {name:<8} measured to {errors}; {held}")


if __name__ == "__main__":
    main()
