"""Killed at any instant, nothing finished is lost, the logbook opens, and the same command finishes the plan."""

import os
import random
import signal
import sqlite3
import time
import unittest
from collections import Counter
from pathlib import Path

import psutil

from tests.support import QUICK, SLOW, ProjectTest, is_alive, task


class Killed(ProjectTest):
    def slots(self) -> Counter:
        return Counter(
            (row["variant"], row["task"], row["seed"], row["round"], row["repeat"])
            for row in self.log()
            if not row["warm_up"] and row["status"] == "finished"
        )

    def test_killed_again_and_again_every_cell_is_measured_exactly_once(self):
        self.write_plan(SLOW, QUICK, task(seeds=(1, 2, 3)), rounds=2, repeats=2, warmups=1)
        rng = random.Random(5)
        finished_before: set = set()
        for _ in range(6):
            process = self.start("run")
            wait_for_runs(self.folder, more_than=len(finished_before), process=process)
            time.sleep(rng.uniform(0, 0.08))
            os.killpg(process.pid, signal.SIGKILL)
            process.communicate()
            finished_now = set(self.slots())
            self.assertLessEqual(finished_before, finished_now)
            finished_before = finished_now
        self.unvek("run")
        slots = self.slots()
        self.assertEqual(len(slots), 2 * 3 * 2 * 2)
        self.assertEqual(set(slots.values()), {1})
        self.assertEqual(list((self.folder / "logbook" / "outputs").glob(".making-*")), [])
        for row in self.log():
            for output in self.result("show", str(row["run"]))["outputs"][:1] if row["run"] % 9 == 0 else ():
                self.assertEqual((self.folder / "logbook" / output["path"]).stat().st_size, output["bytes"])

    def test_the_models_process_dies_with_the_engine(self):
        self.write_plan(SLOW.replace("step_s = 0.006", 'do = "loop"'), task())
        process = self.start("run")
        worker = wait_for_worker(process.pid)
        os.kill(process.pid, signal.SIGKILL)
        process.communicate()
        deadline = time.monotonic() + 10
        while is_alive(worker) and time.monotonic() < deadline:
            time.sleep(0.02)
        self.assertFalse(is_alive(worker))

    def test_a_finished_plan_has_nothing_left_to_run(self):
        self.write_plan(SLOW, QUICK, task())
        self.unvek("run")
        calls = (self.folder / "calls.txt").read_text()
        self.assertIn("0 runs made, 4 were there before", self.unvek("run").stderr)
        self.assertEqual((self.folder / "calls.txt").read_text(), calls)

    def test_only_what_a_change_touches_is_run_anew(self):
        self.write_plan(SLOW, QUICK, task())
        self.unvek("run")
        self.write_plan(SLOW, QUICK.replace("shade = 3", "shade = 4"), task(), task("rose", (7,)))
        self.assertIn("4 runs made, 2 were there before", self.unvek("run").stderr)
        self.assertEqual(self.result("compare")["rows"][1]["runs"], 3)

    def test_a_run_that_reached_a_limit_is_tried_again_under_another(self):
        self.write_plan(SLOW.replace("0.006", "0.3"), task(seeds=(1,)), run_limit="200 ms")
        self.unvek("run", expect=1)
        self.assertIn("0 runs made", self.unvek("run").stderr)
        self.write_plan(SLOW.replace("0.006", "0.3"), task(seeds=(1,)), run_limit="20 s")
        self.unvek("run")
        self.assertEqual(self.statuses(), ["timed-out", "finished"])
        self.assertEqual(self.result("compare")["rows"][0]["failures"]["count"], 0)

    def test_afresh_voids_and_deletes_nothing(self):
        self.write_plan(SLOW, task())
        self.unvek("run")
        self.unvek("run", "--afresh")
        self.assertEqual([row["voided"] for row in self.log()], ["started afresh", "started afresh", None, None])
        self.assertEqual(self.result("compare")["rows"][0]["runs"], 2)

    def test_a_second_engine_is_told_who_holds_the_logbook(self):
        self.write_plan(SLOW.replace("step_s = 0.006", 'do = "loop"'), task())
        first = self.start("run")
        wait_for_worker(first.pid)
        self.assertIn(f"by process {first.pid}", self.unvek("run", expect=2).stderr)
        os.killpg(first.pid, signal.SIGKILL)
        first.communicate()
        self.write_plan(SLOW, task())
        self.unvek("run")


class Interrupted(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        self.write_plan(SLOW.replace("step_s = 0.006", 'do = "loop"'), QUICK, task(seeds=(1,)))

    def test_one_ctrl_c_skips_the_run_and_the_others_go_on(self):
        process = self.start("run")
        wait_for_worker(process.pid)
        wait_for_calls(self.folder)
        os.kill(process.pid, signal.SIGINT)
        _, err = process.communicate(timeout=60)
        self.assertEqual(process.returncode, 0, err)
        self.assertEqual(self.statuses(), ["skipped", "finished"])

    def test_two_stop_everything_and_what_is_done_stays(self):
        for number, times in ((signal.SIGINT, 2), (signal.SIGTERM, 1)):
            with self.subTest(number):
                (self.folder / "calls.txt").unlink(missing_ok=True)
                process = self.start("run", "--afresh")
                worker = wait_for_worker(process.pid)
                wait_for_calls(self.folder)
                for _ in range(times):
                    os.kill(process.pid, number)
                    time.sleep(0.05)
                _, err = process.communicate(timeout=60)
                self.assertEqual(process.returncode, 130, err)
                self.assertIn("the same command goes on from here", err)
                # Two taps on a busy machine may find the first one done with: the run is skipped, then all is stopped.
                self.assertIn(self.statuses()[-1], ("interrupted", "skipped")[:times])
                self.assertFalse(is_alive(worker))


def wait_for_runs(folder: Path, more_than: int, process) -> None:
    """Wait until the logbook holds more finished runs, or the process has ended."""
    deadline = time.monotonic() + 60
    while time.monotonic() < deadline and process.poll() is None:
        try:
            with sqlite3.connect(f"file:{folder}/logbook/runs.sqlite?mode=ro", uri=True) as connection:
                if connection.execute("select count(*) from runs where not warm_up").fetchone()[0] > more_than:
                    break
        except sqlite3.Error:
            pass  # not there yet
        finally:
            if "connection" in locals():
                connection.close()
        time.sleep(0.01)


def wait_for_worker(pid: int) -> int:
    """Return the process id of the model's process that this engine has started."""
    deadline = time.monotonic() + 60
    while time.monotonic() < deadline:
        for child in psutil.Process(pid).children(recursive=True):
            if any("worker.py" in argument for argument in child.cmdline()):
                return child.pid
        time.sleep(0.01)
    raise AssertionError("no worker was started")


def wait_for_calls(folder: Path) -> None:
    deadline = time.monotonic() + 60
    while not (folder / "calls.txt").exists() and time.monotonic() < deadline:
        time.sleep(0.01)


if __name__ == "__main__":
    unittest.main()
