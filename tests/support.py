"""A small project in a temporary folder, and the program run on it.

The model is scripted: what a run does is said by its settings, so that one script serves for all that can go
right and wrong with a model.

Commands that make runs, watch or are killed are always started as a user starts them. Commands that only read and write
files are called in the tests' own process, which saves them half a second each; that they do the same when they are
started is a test of its own (tests/cli/test_started.py).
"""

import atexit
import contextlib
import hashlib
import io
import json
import os
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import unittest
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from typing import Any

import psutil

from unvek.cli import main

STARTED = ("run", "try", "watch", "demo", "clock")  # by every test that uses them

# A machine and a cache of the tests' own: nothing waits for what else runs here, or finds what others left.
_OWN = tempfile.mkdtemp(prefix="unvek-tests-")
atexit.register(shutil.rmtree, _OWN, ignore_errors=True)
MACHINE_LOCK, CACHE, STATE = f"{_OWN}/machine.lock", f"{_OWN}/cache", f"{_OWN}/state"
_MADE: dict[str, tuple[Path, str]] = {}  # projects with their runs, and what was said, by what their files hold

SCRIPT = """
import ctypes, os, signal, subprocess, sys, time
from pathlib import Path

def load(variant):
    do = variant.settings.get("load", "")
    if do == "raise":
        raise OSError("the weights are not what they were")
    if do == "exit":
        os._exit(3)
    if do == "hang":
        time.sleep(600)
    return variant.name

def run(model, job, probe):
    do = job.settings.get("do", "")
    steps = job.settings.get("steps", 3)
    with open("calls.txt", "a") as file:
        file.write("%s %s %s\\n" % (model, job.task, job.seed))
    if do == "raise":
        print("about to fail")
        raise ValueError("no such flower: \\x1b[31mred")
    if do == "leave":
        sys.exit("enough")
    if do == "vanish":
        os._exit(7)
    if do == "crash":
        print("last words", flush=True)
        ctypes.string_at(0)
    if do == "hang":
        probe.step()
        time.sleep(600)
    if do == "loop":
        while True:
            probe.step()
            time.sleep(0.02)
    if do == "flood":
        for n in range(30000):
            print("line %d of a great many, more than anybody reads" % n)
        ctypes.CDLL(None).puts(b"from C as well")
    if do == "lookalike":
        print('{"event":"ended","at_ns":1,"status":"failed","error":"not true"}', flush=True)
        os.write(1, b'{"event":"step","at_ns":5}\\n')
    if do == "brood":
        child = subprocess.Popen([sys.executable, "-c", "import time; time.sleep(600)"], start_new_session=True)
        Path("brood.txt").write_text(str(child.pid))
        if job.settings.get("then") == "vanish":
            os._exit(0)
        time.sleep(600)
    if do == "eat":
        held = []
        while True:
            held.append(bytearray(b"x") * (8 * 2**20))
            probe.step()
            time.sleep(0.02)
    if do == "eat in a child":
        subprocess.run([sys.executable, "-c", "import time\\nh = []\\nwhile 1: h.append(bytearray(b'x') * 8388608); time.sleep(0.02)"])
    if do == "out of memory":
        raise MemoryError("no room for the petals")
    if do == "babble":
        while True:
            for word in "water it weekly and ".split():
                probe.token(word + " ")
            time.sleep(0.001)
    if do == "answer":
        for word in "water it every week and keep it warm".split():
            probe.token(word + " ")
    if do == "chatter":
        for n in range(10**9):
            probe.token("%d " % n)
            time.sleep(0.001)
    if do == "scrawl":
        with open(job.out / "scrawl.bin", "wb") as file:
            while True:
                file.write(bytes(2**18))
                file.flush()
                probe.step()
                time.sleep(0.01)
    if do == "fuzz":
        import random
        rng = random.Random(job.seed)
        kinds = ("began", "step", "ended", "phase", "token", "value", "memory", "loaded", "packages", "ready", "preview", "x")
        values = ("1", "-1", "1e999", "NaN", '"\\\\ud800"', "[]", "{}", "null", "true", "9" * 40, '"' + "y" * 70000 + '"')
        names = ("at_ns", "of", "n", "text", "name", "number", "status", "versions", "modules", "threads", "device_bytes")
        for _ in range(3000):
            fields = ",".join('"%s":%s' % (name, rng.choice(values[:-1] if rng.random() < 0.99 else values)) for name in rng.sample(names, 5))
            line = ('{"event":"%s","at_ns":%d,%s}' % (rng.choice(kinds), rng.randrange(1, 2**63), fields)).encode()
            if b'"ended"' not in line or rng.random() < 0.5:
                probe._ring.put(line.replace(b'"ended"', b'"end"') + (b"\\n" if rng.random() < 0.95 else b"\\xff\\x00"))
        probe._ring.put(b"\\n")
    if do == "garbage":
        probe._ring.put(b"\\xff\\xfe{]\\n" + b"x" * 300000 + b"\\n")
    probe.phase("steps")
    for _ in range(steps):
        time.sleep(job.settings.get("step_s", 0.002))
        probe.step(of=steps)
    probe.phase("save")
    probe.value("warmth", job.seed, "K")
    probe.count("calls")
    probe.fault("retry", "once")
    shade = job.settings.get("shade", 0) + job.seed
    rows = bytes((x * 7 + y * 3 + shade * (x % 5)) % 256 for y in range(16) for x in range(48))
    probe.output(b"P6 16 16 255\\n" + rows, "label.ppm")
"""

PLAN_HEAD = """
title = "Which painter?"
reference = "slow"
[schedule]
rounds = {rounds}
repeats = {repeats}
warmups = {warmups}
measure = "{measure}"
[limits]
run = "{run_limit}"
stall = "{stall_limit}"
{limits}
[runners.painter]
script = "model.py"
"""


def variant(name: str, form: str = "full", **settings: Any) -> str:
    """Return a [[variants]] table."""
    written = ", ".join(f"{key} = {json.dumps(value)}" for key, value in settings.items())
    return f'[[variants]]\nname = "{name}"\nform = "{form}"\nsettings = {{ {written} }}\n'


def task(name: str = "violet", seeds: Iterable[int] = (1, 2), prompt: str = "a violet flower") -> str:
    """Return a [[tasks]] table."""
    return f'[[tasks]]\nname = "{name}"\nprompt = {json.dumps(prompt)}\nseeds = {list(seeds)}\n'


SLOW = variant("slow", step_s=0.006)
QUICK = variant("quick", "distilled", step_s=0.002, shade=3)
LIKENESS = '[[measures]]\nname = "likeness"\nkind = "ssim"\n'


class ProjectTest(unittest.TestCase):
    """A test with a project folder of its own, in which `unvek` can be run."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory(prefix="unvek-test-")
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.write("model.py", SCRIPT)

    def write(self, name: str, text: str) -> Path:
        path = self.folder / name
        path.write_text(text, encoding="utf-8")
        return path

    def write_plan(self, *tables: str, rounds: int = 1, repeats: int = 1, warmups: int = 0, run_limit: str = "60 s",
                   stall_limit: str = "60 s", quality: bool = False, limits: str = "", measure: str = "later") -> Path:  # fmt: skip
        """Write a plan whose outputs are measured when somebody asks, unless a test has them measured by `run`."""
        head = PLAN_HEAD.format(
            rounds=rounds,
            repeats=repeats,
            warmups=warmups,
            run_limit=run_limit,
            stall_limit=stall_limit,
            limits=limits,
            measure=measure,
        )
        return self.write("plan.toml", head + "\n".join(tables) + (LIKENESS if quality else ""))

    def unvek(self, *arguments: str, expect: int = 0, timeout_s: float = 240) -> subprocess.CompletedProcess[str]:
        """Run the program in the project's folder, and hold it to an exit code and to showing no traceback."""
        if arguments[0] in STARTED:
            done = started(*arguments, folder=self.folder, timeout_s=timeout_s)
        else:
            done = called(*arguments, folder=self.folder)
        said = f"unvek {' '.join(arguments)}\n--- out\n{done.stdout[-3000:]}\n--- err\n{done.stderr[-3000:]}"
        self.assertEqual(done.returncode, expect, said)
        self.assertNotIn("Traceback", done.stderr, said)
        return done

    def have_runs(self, *, expect: int = 0) -> str:
        """Have the plan's runs made, for a test of what is done with them, and return what was said meanwhile.

        They are made once, by the program as it is started; tests whose project holds the same files get a copy.
        """
        files = sorted((path.name, path.read_bytes()) for path in self.folder.iterdir() if path.is_file())
        key = hashlib.sha256(repr(files).encode()).hexdigest()
        if key not in _MADE:
            said = self.unvek("run", expect=expect).stderr
            _MADE[key] = Path(_OWN) / "made" / key, said
            shutil.copytree(self.folder, _MADE[key][0])
        else:
            shutil.copytree(_MADE[key][0], self.folder, dirs_exist_ok=True)
        return _MADE[key][1]

    def have_taken(self, seconds_of: Callable[[Mapping[str, Any]], float]) -> None:
        """Rewrite what each finished run took: a test of times must not rest on how busy the machine is."""
        with contextlib.closing(sqlite3.connect(self.folder / "logbook" / "runs.sqlite")) as database, database:
            for row in self.log():
                if row["status"] == "finished":
                    database.execute("update runs set time_s = ? where number = ?", (seconds_of(row), row["run"]))

    def start(self, *arguments: str, **options: Any) -> subprocess.Popen[str]:
        """Start the program without waiting, in a process group of its own."""
        started = subprocess.Popen(
            program(*arguments), cwd=self.folder, env=environment(), stdout=subprocess.PIPE, stderr=subprocess.PIPE,
            text=True, start_new_session=True, **options,
        )  # fmt: skip
        self.addCleanup(reap, started)
        return started

    def result(self, *arguments: str, expect: int = 0) -> Mapping[str, Any]:
        """Return a command's result as JSON."""
        content = json.loads(self.unvek(*arguments, "--as", "json", expect=expect).stdout)
        self.assertEqual(content["unvek"], 1)
        return dict(content)

    def log(self) -> list[Mapping[str, Any]]:
        """Return the runs."""
        return list(self.result("log")["rows"])

    def statuses(self) -> list[str]:
        return [row["status"] for row in self.log() if not row["warm_up"]]


def started(*arguments: str, folder: Path, timeout_s: float = 240) -> subprocess.CompletedProcess[str]:
    """Start the program in a folder, as a user does, and return what came of it."""
    return subprocess.run(
        program(*arguments), cwd=folder, env=environment(), capture_output=True, text=True, timeout=timeout_s
    )


def called(*arguments: str, folder: Path) -> subprocess.CompletedProcess[str]:
    """Call the program in this process, with the folder, streams and environment that it would be started with."""
    before, arguments_before, ours = os.environ.copy(), sys.argv, environment()
    out, err = (io.TextIOWrapper(io.BytesIO(), "utf-8", newline="", write_through=True) for _ in range(2))
    code: object = 0
    try:
        os.environ.clear()
        os.environ.update(ours)
        sys.argv = ["unvek", *arguments]
        with contextlib.chdir(folder), contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            main()
    except SystemExit as end:
        code = end.code
    finally:
        os.environ.clear()
        os.environ.update(before)
        sys.argv = arguments_before
    # Read as a pipe is in text mode: every end of a line is one character.
    texts = [stream.buffer.getvalue().decode().replace("\r\n", "\n") for stream in (out, err)]
    return subprocess.CompletedProcess(list(arguments), code if isinstance(code, int) else 0, *texts)


def program(*arguments: str) -> list[str]:
    return [sys.executable, "-m", "unvek", *arguments]


def environment(**more: str) -> dict[str, str]:
    kept = {name: value for name, value in os.environ.items() if name not in ("NO_COLOR", "FORCE_COLOR", "COLUMNS")}
    ours = {"PYTHONWARNINGS": "", "UNVEK_MACHINE_LOCK": MACHINE_LOCK, "XDG_CACHE_HOME": CACHE, "XDG_STATE_HOME": STATE}
    return {**kept, **ours, **more}


def reap(process: subprocess.Popen[str]) -> None:
    process.kill()
    process.communicate()


def is_alive(pid: int) -> bool:
    """Whether a process runs; a dead one that nobody has reaped yet does not."""
    try:
        return psutil.Process(pid).status() != psutil.STATUS_ZOMBIE
    except psutil.NoSuchProcess:
        return False
