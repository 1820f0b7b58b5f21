"""The model's side: standard library only, in any interpreter, and every word of it arrives."""

import shutil
import subprocess
import unittest
from pathlib import Path

import psutil

from tests.support import ProjectTest, task, variant

OLD_PYTHONS = [
    path
    for path in [
        *Path.home().glob(".pyenv/versions/3.[89].*/bin/python"),
        *map(shutil.which, ("python3.8", "python3.9")),
    ]
    if path and subprocess.run([path, "-c", ""], capture_output=True).returncode == 0
]


# What runs do, a function for each, named as a variant each is; all of them are run once, and looked at test by test.
SCRIPTS = {
    "burst": """
for n in range(300000):
    probe.step()
probe.text('x' * 100000)
""",
    "long-text": """
probe.text('\\U0001f33f' * 20000)
probe.text('\\u00e9' * 20000)
""",
    "threads": """
import os, threading
if os.fork() == 0:
    probe.step()
    probe.value('child', 1)
    os._exit(0)
os.wait()
def report():
    for n in range(5000):
        probe.step()
threads = [threading.Thread(target=report) for n in range(4)]
for thread in threads: thread.start()
for thread in threads: thread.join()
""",
    "stamps": """
import time
probe.phase('steps')
for n in range(5):
    time.sleep(0.05)
    probe.step()
""",
    "sync": """
calls = []
probe.sync = lambda: calls.append(1)
probe.step()
probe.step()
probe.value('calls so far', len(calls))
""",
    "small-preview": "probe.preview(4, 4, b'1')",
    "no-output": "probe.output('missing.png')",
    "no-number": """
probe.value('x', float('nan'))
probe.value('y', 1)
""",
    "neighbours": """
import neighbour
probe.text(neighbour.WORD + open('neighbour.py').read()[:4])
""",
    "environment": """
import os
probe.text(os.environ['ALDER'])
""",
}
FAIL = ("small-preview", "no-output")


class TheProbe(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        self.write("probe.py", "raise SystemExit('a module of the same name as one of ours')")
        self.write("neighbour.py", "WORD = 'hello'")
        bodies = "".join(
            f"def {name.replace('-', '_')}(probe):\n" + "".join(f"    {line}\n" for line in body.strip().splitlines())
            for name, body in SCRIPTS.items()
        )
        run = "def run(model, job, probe):\n    globals()[model](probe)\n"
        self.write("model.py", "def load(variant):\n    return variant.name.replace('-', '_')\n" + bodies + run)
        plan = self.write_plan(*map(variant, SCRIPTS), task(seeds=(1,)))
        more = 'script = "model.py"\nenvironment = { ALDER = "row" }'
        text = plan.read_text().replace('script = "model.py"', more)
        plan.write_text(text.replace('reference = "slow"', 'reference = "burst"'))
        self.have_runs(expect=1)

    def made_by(self, name: str) -> dict:
        """Return the run that this function made, whole."""
        (row,) = (row for row in self.log() if row["variant"] == name)
        self.assertEqual(row["status"], "failed" if name in FAIL else "finished")
        return dict(self.result("show", str(row["run"])))

    def test_a_burst_that_fills_the_shared_memory_many_times_over_arrives_whole(self):
        run = self.made_by("burst")
        self.assertEqual((run["steps"], len(run["text"])), (300000, 100000))

    def test_a_long_text_arrives_whole_in_any_script(self):
        run = self.made_by("long-text")
        self.assertEqual((run["text"], run["faults"]), ("\U0001f33f" * 20000 + "\u00e9" * 20000, []))

    def test_threads_may_report_side_by_side_and_forked_children_not_at_all(self):
        run = self.made_by("threads")
        self.assertEqual((run["steps"], run["measurements"]), (20000, []))

    def test_stamps_are_taken_beside_the_model(self):
        run = self.made_by("stamps")
        self.assertEqual(len(run["step_times_s"]), 5)
        self.assertTrue(all(step >= 0.05 for step in run["step_times_s"]), run["step_times_s"])

    def test_sync_is_called_before_each_stamp(self):
        self.assertEqual(self.made_by("sync")["measures"]["calls so far"], 2.0)

    def test_what_cannot_be_is_refused_where_it_is_said(self):
        for name, words in (("small-preview", "3 bytes for each"), ("no-output", "FileNotFoundError")):
            self.assertIn(words, self.made_by(name)["error"])

    def test_a_number_that_is_none_is_refused_and_the_run_goes_on(self):
        run = self.made_by("no-number")
        self.assertEqual(
            (run["faults"], {one["name"]: one["value"] for one in run["measurements"]}),
            ([["refused", "x nan: no finite number"]], {"y": 1.0}),
        )

    def test_scripts_can_import_their_neighbours_and_find_their_files(self):
        self.assertEqual(self.made_by("neighbours")["text"], "helloWORD")

    def test_the_environment_given_is_there(self):
        self.assertEqual(self.made_by("environment")["text"], "row")


class Interpreters(ProjectTest):
    @unittest.skipUnless(OLD_PYTHONS, "needs a Python 3.8 or 3.9 to be there")
    def test_an_old_interpreter_serves(self):
        self.write(
            "model.py",
            "def load(variant): 0\ndef run(model, job, probe):\n    probe.step(of=1)\n    probe.token('ä')\n",
        )
        plan = self.write_plan(variant("slow"), task(seeds=(1,)))
        more = f'script = "model.py"\npython = "{OLD_PYTHONS[0]}"'
        plan.write_text(plan.read_text().replace('script = "model.py"', more))
        self.unvek("run")
        run = self.result("show", "1")
        self.assertEqual((run["status"], run["steps"], run["text"]), ("finished", 1, "ä"))
        self.assertRegex(run["provenance"]["python"], r"^3\.[89]\.")


class Memory(ProjectTest):
    def test_it_is_that_of_the_run_not_of_the_one_before_and_the_worker_ends(self):
        self.write("model.py", "def load(variant):\n    return None\ndef run(model, job, probe):\n"
                               "    held = bytearray(job.seed * 2**20)\n")  # fmt: skip
        self.write_plan(variant("slow"), task(seeds=(200, 1)))
        self.unvek("run")
        big, small = (self.result("show", str(n))["machine"]["memory_peak_bytes"] for n in (1, 2))
        self.assertGreater(big - small, 150 * 2**20)
        commands = [process.info["cmdline"] or [] for process in psutil.process_iter(["cmdline"])]
        self.assertFalse([command for command in commands if str(self.folder / "model.py") in command])


if __name__ == "__main__":
    unittest.main()
