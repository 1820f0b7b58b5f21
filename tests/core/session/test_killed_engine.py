"""The engine killed outright: nothing that the model had started lives on, nothing secret was written, nothing is left over."""

import base64
import os
import signal
import time
import unittest
from collections.abc import Callable
from pathlib import Path
from urllib.parse import quote

import psutil

from tests.support import ProjectTest, is_alive, task, variant

SECRET = "sk-4711/Qf%7Gh \u00e9 2nd"
SCRIPT = """
import base64, json, os, subprocess, sys, time
from pathlib import Path
from urllib.parse import quote
def load(variant): return None
def run(model, job, probe):
    secret = os.environ["API_KEY"]
    print("my key is", secret, flush=True)
    os.write(2, (secret + "\\n").encode())
    for form in (secret, quote(secret), base64.b64encode(secret.encode()).decode(), json.dumps(secret).replace("/", "\\\\/")):
        for character in form + " ":
            probe.token(character)
    probe.phase("with " + secret[2:14])
    probe.fault("told", quote(secret))
    probe.output(secret.encode(), "told.txt")
    probe.output(b"\\xff" + secret.encode(), "told.bin")
    probe.output(b"1", "key " + secret.split("/")[1] + ".bin")
    if job.settings["do"] == "stay":
        child = subprocess.Popen([sys.executable, "-c", "import time; time.sleep(600)"], start_new_session=True, env={})
        twice = "import os, time; os.fork() and os._exit(0); os.setsid(); open('orphan', 'w').write(str(os.getpid())); time.sleep(600)"
        subprocess.run([sys.executable, "-c", twice], env={}, close_fds=True)
        Path("child").write_text(str(child.pid))
        Path("ready").touch()
        time.sleep(600)
"""


class KilledEngine(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        self.write("model.py", SCRIPT)
        os.environ["API_KEY"] = SECRET
        self.addCleanup(os.environ.pop, "API_KEY")

    def plan(self, do: str) -> None:
        plan = self.write_plan(variant("slow", do=do), task(seeds=(1,)))
        plan.write_text(plan.read_text().replace('script = "model.py"', 'script = "model.py"\nsecrets = ["API_KEY"]'))

    def wait_for(self, what: Callable[[], bool]) -> None:
        deadline_s = time.monotonic() + 60
        while not what():
            self.assertLess(time.monotonic(), deadline_s)
            time.sleep(0.02)

    def killed(self) -> None:
        started = self.start("run", "--plain")
        self.wait_for((self.folder / "ready").exists)
        time.sleep(0.3)  # what is printed reaches the log
        os.killpg(started.pid, signal.SIGKILL)
        started.wait()

    def test_what_the_model_had_started_ends_with_the_engine(self):
        self.plan("stay")
        self.killed()
        left = [int((self.folder / name).read_text()) for name in ("child", "orphan")]
        self.wait_for(lambda: not any(map(is_alive, left)))
        self.wait_for(lambda: not self._of_this_folder())

    def _of_this_folder(self) -> list[psutil.Process]:
        found = []
        for process in psutil.process_iter():
            try:
                if process.pid != os.getpid() and str(self.folder) in " ".join([process.cwd(), *process.cmdline()]):
                    found.append(process)
            except psutil.Error:
                continue
        return found

    def test_no_part_of_a_secret_is_on_the_disk_before_or_after_the_next_start(self):
        self.plan("stay")
        self.killed()
        self.assert_kept_nowhere(journal_too=True)
        self.write("model.py", SCRIPT.replace('== "stay"', '== "never"'))
        self.unvek("run")
        self.assert_kept_nowhere()
        cut_off, made = self.log()
        self.assertEqual((cut_off["status"], made["status"]), ("interrupted", "finished"))
        for row in (cut_off, made):
            run = self.result("show", str(row["run"]))
            self.assertEqual(run["text"].count("[API_KEY]"), 4, run["text"])
            self.assertNotIn("sk-", self.unvek("show", str(row["run"])).stdout)
        self.assertEqual([Path(one["path"]).name for one in run["outputs"]], ["told.txt", "key [API_KEY].bin"])
        self.assertIn("told.bin: a file that holds a secret", str(run["faults"]))

    def assert_kept_nowhere(self, journal_too: bool = False) -> None:
        written = (SECRET, quote(SECRET), base64.b64encode(SECRET.encode()).decode()[:-4], SECRET[2:14], "sk-4711\\/")
        for path in (self.folder / "logbook").rglob("*"):
            if path.is_file() and ".making-" not in str(path):  # the model's own, until it is taken or removed
                data = path.read_bytes()
                for form in written:
                    self.assertNotIn(form.encode(), data, path)
                if journal_too and path.suffix == ".jsonl":
                    text = "".join(part.partition(b'"')[0].decode() for part in data.split(b'"text": "')[1:])
                    self.assertNotIn("4711", text)

    def test_outputs_that_were_taken_and_not_kept_are_removed_by_the_next_start(self):
        self.write("model.py", "def load(variant): 1\ndef run(model, job, probe): probe.output(b'1', 'a.bin')\n")
        self.write_plan(variant("slow"), task(seeds=(1, 2)))
        self.unvek("run")
        outputs = self.folder / "logbook" / "outputs"
        for left in ("L00001-0003", ".making-L00001-0004"):
            (outputs / left).mkdir()
            (outputs / left / "a.bin").write_bytes(b"1")
        self.unvek("run")
        self.assertEqual(sorted(path.name for path in outputs.iterdir()), ["L00001-0001", "L00001-0002"])


class FromOutside(ProjectTest):
    SCRIPT = """
import os, signal, time
from pathlib import Path
def load(variant): return None
def run(model, job, probe):
    probe.step()
    calls = Path("calls-%s" % job.seed)
    calls.write_text(calls.read_text() + "x" if calls.exists() else "x")
    if len(calls.read_text()) <= job.settings["kills"].count(str(job.seed)):
        os.kill(os.getpid(), signal.SIGTERM)
        time.sleep(60)
"""

    def test_a_worker_that_somebody_ended_is_made_again_once_and_said_to_be(self):
        self.write("model.py", self.SCRIPT)
        self.write_plan(variant("slow", kills="1 2 2"), task(seeds=(1, 2, 3)))
        self.unvek("run", expect=1)
        rows = [(row["seed"], row["status"]) for row in self.log()]
        self.assertEqual(
            rows, [(1, "interrupted"), (1, "finished"), (2, "interrupted"), (2, "failed"), (3, "finished")]
        )
        said = [self.result("show", str(number))["error"] for number in (1, 3, 4)]
        self.assertIn("signal 15, from outside: made again", said[0])
        self.assertIn("signal 15, from outside: for the second time", said[2])
        self.assertIn("0 runs made", self.unvek("run").stderr)

    def test_a_model_that_kills_what_started_it_ends_its_own_run_only(self):
        self.write("model.py", self.SCRIPT.replace("os.getpid(), signal.SIGTERM", "os.getppid(), signal.SIGKILL"))
        self.write_plan(variant("slow", kills="1 2 2"), task(seeds=(1, 2, 3)))
        self.unvek("run", expect=1)
        rows = [(row["seed"], row["status"]) for row in self.log()]
        self.assertEqual(
            rows, [(1, "interrupted"), (1, "finished"), (2, "interrupted"), (2, "failed"), (3, "finished")]
        )

    def test_the_same_of_a_program_and_a_crash_is_the_models_own(self):
        program = 'import os, signal, sys\nos.kill(os.getpid(), getattr(signal, "SIG" + sys.argv[1]))\n'
        self.write("program.py", program)
        runner = '[runners.p]\nkind = "command"\ncommand = ["{python}", "program.py", "{signal}"]\n'
        self.write_plan(*(variant(name, signal=name) + 'runner = "p"\n' for name in ("KILL", "SEGV")), runner,
                        task(seeds=(1,)))  # fmt: skip
        plan = self.folder / "plan.toml"
        plan.write_text(plan.read_text().replace('reference = "slow"', 'reference = "KILL"'))
        self.unvek("run", expect=1)
        rows = [(row["variant"], row["status"]) for row in self.log()]
        self.assertEqual(sorted(rows), [("KILL", "failed"), ("KILL", "interrupted"), ("SEGV", "failed")])


if __name__ == "__main__":
    unittest.main()
