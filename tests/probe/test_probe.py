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


class TheProbe(ProjectTest):
    def run_script(self, body: str, expect: int = 0, plan_more: str = "") -> dict:
        """Run one script with this body in run(), and return the run."""
        indented = "".join(f"    {line}\n" for line in body.splitlines())
        self.write("model.py", f"def load(variant):\n    return None\ndef run(model, job, probe):\n{indented}")
        plan = self.write_plan(variant("slow"), task(seeds=(1,)))
        plan.write_text(plan.read_text().replace('script = "model.py"', 'script = "model.py"\n' + plan_more))
        self.unvek("run", "--afresh", expect=expect)
        return dict(self.result("show", str(self.log()[-1]["run"])))

    @unittest.skipUnless(OLD_PYTHONS, "needs a Python 3.8 or 3.9 to be there")
    def test_an_old_interpreter_serves(self):
        run = self.run_script("probe.step(of=1)\nprobe.token('ä')", plan_more=f'python = "{OLD_PYTHONS[0]}"')
        self.assertEqual((run["status"], run["steps"], run["text"]), ("finished", 1, "ä"))
        self.assertRegex(run["provenance"]["python"], r"^3\.[89]\.")

    def test_a_burst_that_fills_the_shared_memory_many_times_over_arrives_whole(self):
        run = self.run_script("for n in range(300000):\n    probe.step()\nprobe.text('x' * 100000)")
        self.assertEqual((run["status"], run["steps"], len(run["text"])), ("finished", 300000, 100000))

    def test_a_long_text_arrives_whole_in_any_script(self):
        run = self.run_script("probe.text('\\U0001f33f' * 20000)\nprobe.text('\\u00e9' * 20000)")
        self.assertEqual((run["text"], run["faults"]), ("\U0001f33f" * 20000 + "\u00e9" * 20000, []))

    def test_threads_may_report_side_by_side_and_forked_children_not_at_all(self):
        run = self.run_script(
            "import os, threading\n"
            "if os.fork() == 0:\n    probe.step()\n    probe.value('child', 1)\n    os._exit(0)\n"
            "os.wait()\n"
            "def report():\n    for n in range(5000):\n        probe.step()\n"
            "threads = [threading.Thread(target=report) for n in range(4)]\n"
            "for thread in threads: thread.start()\n"
            "for thread in threads: thread.join()"
        )
        self.assertEqual((run["status"], run["steps"], run["measures"]), ("finished", 20000, {}))

    def test_stamps_are_taken_beside_the_model(self):
        run = self.run_script(
            "import time\nprobe.phase('steps')\nfor n in range(5):\n    time.sleep(0.05)\n    probe.step()"
        )
        self.assertTrue(all(0.05 <= step < 0.5 for step in run["step_times_s"]), run["step_times_s"])

    def test_sync_is_called_before_each_stamp(self):
        run = self.run_script("calls = []\nprobe.sync = lambda: calls.append(1)\nprobe.step()\nprobe.step()\n"
                              "probe.value('calls so far', len(calls))")  # fmt: skip
        self.assertEqual(run["measures"]["calls so far"], 2.0)

    def test_what_cannot_be_is_refused_where_it_is_said(self):
        for body, words in (
            ("probe.preview(4, 4, b'1')", "3 bytes for each"),
            ("probe.output('missing.png')", "FileNotFoundError"),
        ):
            run = self.run_script(body, expect=1)
            self.assertEqual(run["status"], "failed")
            self.assertIn(words, run["error"])

    def test_a_number_that_is_none_is_refused_and_the_run_goes_on(self):
        run = self.run_script("probe.value('x', float('nan'))\nprobe.value('y', 1)")
        self.assertEqual((run["status"], run["faults"]), ("finished", [["refused", "x nan: no finite number"]]))
        self.assertEqual(run["measures"], {"y": 1.0})

    def test_scripts_can_import_their_neighbours_and_find_their_files(self):
        self.write("probe.py", "raise SystemExit('a module of the same name as one of ours')")
        self.write("neighbour.py", "WORD = 'hello'")
        run = self.run_script("import neighbour\nprobe.text(neighbour.WORD + open('neighbour.py').read()[:4])")
        self.assertEqual(run["text"], "helloWORD")

    def test_the_environment_given_is_there(self):
        run = self.run_script("import os\nprobe.text(os.environ['ALDER'])", plan_more='environment = { ALDER = "row" }')
        self.assertEqual(run["text"], "row")

    def test_memory_is_that_of_the_run_not_of_the_one_before(self):
        self.write("model.py", "def load(variant):\n    return None\ndef run(model, job, probe):\n"
                               "    held = bytearray(job.seed * 2**20)\n")  # fmt: skip
        self.write_plan(variant("slow"), task(seeds=(200, 1)))
        self.unvek("run")
        big, small = (self.result("show", str(n))["machine"]["memory_peak_bytes"] for n in (1, 2))
        self.assertGreater(big - small, 150 * 2**20)

    def test_the_worker_ends_when_its_requests_end(self):
        self.run_script("probe.step()")
        commands = [process.info["cmdline"] or [] for process in psutil.process_iter(["cmdline"])]
        self.assertFalse([command for command in commands if str(self.folder / "model.py") in command])


if __name__ == "__main__":
    unittest.main()
