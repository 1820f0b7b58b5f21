"""How many events a second go from the model's process through the engine into the journal, and what that costs."""

import subprocess
import tempfile
from pathlib import Path

from common import UNVEK, result

EVENTS = 1_000_000
PROMISED_PER_S = 100_000
SCRIPT = """
def load(variant):
    return None
def run(model, job, probe):
    kind = job.settings["kind"]
    for place in range(job.settings["events"]):
        probe.step() if kind == "steps" else probe.token("word%d " % (place * 7919 % 10007))
"""
PLAN = """
[schedule]
rounds = 1
repeats = 1
warmups = 0
[runners.script]
script = "model.py"
[[variants]]
name = "steps"
settings = {{ kind = "steps", events = {events} }}
[[variants]]
name = "tokens"
settings = {{ kind = "tokens", events = {events} }}
limits = {{ loop = 900, tokens = 900000000 }}
[[tasks]]
name = "t"
prompt = "p"
"""


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "model.py").write_text(SCRIPT)
        (folder / "plan.toml").write_text(PLAN.format(events=EVENTS))
        subprocess.run([*UNVEK, "run", "--plain"], cwd=folder, stderr=subprocess.DEVNULL, check=False)
        rows = result(folder, "log")["rows"]
        journals = b"".join(path.read_bytes() for path in (folder / "logbook" / "journal").glob("*.jsonl"))
        print(f"events a second from the model's process to the journal; promised: {PROMISED_PER_S}")
        for row in rows:
            kind = {"steps": b'{"event":"step"', "tokens": b'{"event":"token"'}[row["variant"]]
            whole = "all of them in the journal" if journals.count(kind) == EVENTS else "SOME MISSING"
            time_s = row["time_s"] or float("nan")
            print(f"   {row['variant']:<7} {EVENTS / time_s:>9,.0f}   {row['status']}, {whole}")


if __name__ == "__main__":
    main()
