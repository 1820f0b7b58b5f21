"""Do the three runners measure alike? A spin of known length behind each: a script, a program in C, a server.

The promise is that the medians agree within 2 %. A program's time includes its start, which is why it is in C.
"""

import shutil
import subprocess
import sys
import tempfile
from pathlib import Path
from statistics import median

from common import UNVEK, result

SPIN_MS = 500
PROMISED_SHARE = 0.02
SCRIPT = """
import time
def load(variant): pass
def run(model, job, probe):
    end = time.monotonic() + job.settings["spin_ms"] / 1000
    while time.monotonic() < end: pass
    probe.text("done")
"""
PROGRAM = r"""
#include <stdio.h>
#include <stdlib.h>
#include <time.h>
static double now_s(void) { struct timespec t; clock_gettime(CLOCK_MONOTONIC, &t); return t.tv_sec + t.tv_nsec * 1e-9; }
int main(int argc, char **argv) {
    double end = now_s() + atof(argv[1]) / 1000;
    while (now_s() < end) {}
    puts("done");
    return 0;
}
"""
SERVER = """
import json, sys, time
from http.server import BaseHTTPRequestHandler, HTTPServer
class Handler(BaseHTTPRequestHandler):
    def do_GET(self):
        self.send_response(200); self.end_headers()
    def do_POST(self):
        body = json.loads(self.rfile.read(int(self.headers["Content-Length"])))
        end = time.monotonic() + body["spin_ms"] / 1000
        while time.monotonic() < end: pass
        self.send_response(200); self.end_headers()
        self.wfile.write(b'{"text": "done"}\\n')
    def log_message(self, *_): pass
HTTPServer(("127.0.0.1", int(sys.argv[1])), Handler).serve_forever()
"""
PLAN = """
reference = "script"
[schedule]
rounds = 5
repeats = 2
warmups = 1
[runners.script]
script = "script.py"
[runners.program]
kind = "command"
command = ["./program", "{spin_ms}"]
[runners.server]
kind = "stream"
url = "http://127.0.0.1:{port}/"
body = { spin_ms = "{spin_ms}" }
framing = "lines"
text = "/text"
serve = ["{python}", "server.py", "{port}"]
ready = "http://127.0.0.1:{port}/"
[[variants]]
name = "script"
runner = "script"
[[variants]]
name = "program"
runner = "program"
[[variants]]
name = "server"
runner = "server"
[[tasks]]
name = "spin"
prompt = "p"
settings = { spin_ms = SPIN_MS }
"""


def main() -> None:
    compiler = shutil.which("cc")
    if compiler is None:
        sys.exit("there is no C compiler here")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "script.py").write_text(SCRIPT)
        (folder / "server.py").write_text(SERVER)
        (folder / "program.c").write_text(PROGRAM)
        subprocess.run([compiler, "-O1", "-o", "program", "program.c"], cwd=folder, check=True)
        (folder / "plan.toml").write_text(PLAN.replace("SPIN_MS", str(SPIN_MS)))
        subprocess.run([*UNVEK, "run", "--plain"], cwd=folder, stderr=subprocess.DEVNULL, check=False)
        rows = [row for row in result(folder, "log")["rows"] if not row["warm_up"]]
    times_s = {
        name: [row["time_s"] for row in rows if row["variant"] == name] for name in ("script", "program", "server")
    }
    middles = {name: median(times) for name, times in times_s.items()}
    print(f"a spin of {SPIN_MS} ms behind each runner; promised: within {PROMISED_SHARE:.0%} of each other")
    for name, middle in middles.items():
        more = middle / middles["script"] - 1
        print(f"   {name:<8} {1000 * middle:8.2f} ms   {more:+.2%}   ({len(times_s[name])} runs)")
    apart = max(middles.values()) / min(middles.values()) - 1
    print(f"   apart by {apart:.2%}")
    sys.exit(apart > PROMISED_SHARE)


if __name__ == "__main__":
    main()
