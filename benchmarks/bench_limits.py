"""How far beyond its limit a run gets before it has ended with all that it had started; promised: within a second."""

import statistics
import subprocess
import tempfile
from pathlib import Path

from common import UNVEK, result

TIMES = 8
SCRIPT = """
import subprocess, sys, time
EAT = "import time\\nheld = []\\nwhile True: held.append(bytearray(b'x') * 2**22); time.sleep(0.005)"
def load(variant):
    return None
def run(model, job, probe):
    do = job.settings["do"]
    if do == "eat":
        exec(EAT)
    if do == "eat in a child":
        subprocess.run([sys.executable, "-c", EAT])
    for n in range(10**9):
        if do == "steps": probe.step()
        if do == "tokens": probe.token("%d " % n)
        if do == "loop": probe.token("water ")
        if do == "write":
            with open(job.out / "file.bin", "ab") as file: file.write(bytes(2**17))
        time.sleep(600 if do == "hang" else 0.005)
"""
# What each run does, its limit in the plan, how far it got from `show`, and the unit that one second makes of it.
CASES = (
    ("run", "steps", 'run = "1 s"', lambda run: run["time_s"] - 1.0),
    ("stall", "hang", 'stall = "1 s"', lambda run: run["time_s"] - 1.0),
    ("tokens", "tokens", "tokens = 200", lambda run: (run["measures_of"]["tokens"] - 200) * 0.005),
    ("loop", "loop", "loop = 10", lambda run: (run["measures_of"]["tokens"] - 200) * 0.005),
    ("output", "write", 'output = "20 MiB"', lambda run: (run["output_bytes"] - 20 * 2**20) / 2**17 * 0.005),
    ("memory", "eat", 'memory = "300 MiB"', lambda run: memory_beyond_s(run)),
    ("memory of a child", "eat in a child", 'memory = "300 MiB"', lambda run: memory_beyond_s(run)),
)  # fmt: skip


def memory_beyond_s(run: dict) -> float:
    return (run["machine"]["tree_memory_peak_bytes"] - 300 * 2**20) / 2**22 * 0.005


def overshoots(folder: Path, do: str, limit: str, beyond) -> list[float]:
    (folder / "plan.toml").write_text(
        f"[schedule]\nrounds = {TIMES}\nrepeats = 1\nwarmups = 0\n[limits]\n{limit}\n"
        "[runners.script]\nscript = 'model.py'\n"
        f"[[variants]]\nname = 'one'\nsettings = {{ do = '{do}' }}\n[[tasks]]\nname = 't'\nprompt = 'p'\n"
    )
    subprocess.run([*UNVEK, "run", "--plain"], cwd=folder, capture_output=True)
    found = []
    for row in result(folder, "log")["rows"][-TIMES:]:
        run = result(folder, "show", str(row["run"]))
        run["output_bytes"] = sum(output["bytes"] for output in run["outputs"])
        run["measures_of"] = {"tokens": len(run["text"].split())}
        found.append(beyond(run))
    return found


def main() -> None:
    print("seconds from reaching a limit to the end of the run, as what it did beyond it tells; promised: under 1")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "model.py").write_text(SCRIPT)
        for words, do, limit, beyond in CASES:
            seconds = overshoots(folder, do, limit, beyond)
            print(f"   {words:<18} {statistics.median(seconds):.2f} in the middle, {max(seconds):.2f} at most")


if __name__ == "__main__":
    main()
