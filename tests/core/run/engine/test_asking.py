"""One benchmark at a time; what watchers and signals ask of the engine is done; watching shows what goes on."""

import json
import os
import pty
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

import psutil

from tests.support import MACHINE_LOCK, SLOW, ProjectTest, is_alive, task
from unvek.core.errors import MachineBusyError
from unvek.core.run.engine.interruption import Interruption
from unvek.core.run.journal.controls import GO_ON, PAUSE, SKIP, STOP_AFTER, ControlReader, send_control
from unvek.core.run.machine_lock import VARIABLE, held_machine, holder

LONG = SLOW.replace("0.006", "0.2")  # a run of 0.6 s


class Engine(ProjectTest):
    def begun(self, *arguments: str, runs: int = 1, **options: object) -> subprocess.Popen:
        """Start a `run` and wait until so many runs were kept."""
        process = self.start("run", "--plain", *arguments, **options)
        for _ in range(1 + runs):
            process.stderr.readline()
        return process

    def journal(self) -> Path:
        return next((self.folder / "logbook" / "journal").glob("*.jsonl"))

    def entries(self) -> list[dict]:
        return [json.loads(line) for line in self.journal().read_text().splitlines()]

    def wait_for(self, what: str) -> None:
        for _ in range(200):
            if any(entry.get("entry") == what for entry in self.entries()):
                return
            time.sleep(0.05)
        self.fail(f"the journal never said {what!r}")


class Watchers(Engine):
    def test_a_run_can_be_skipped_and_the_rest_stopped_after_it(self):
        self.write_plan(LONG, task(seeds=range(1, 30)))
        process = self.begun()
        controls = self.journal().with_suffix(".controls")
        self.assertTrue(send_control(controls, SKIP))
        while "skipped by the user" not in process.stderr.readline():
            self.assertIsNone(process.poll())
        self.assertTrue(send_control(controls, STOP_AFTER))
        _, said = process.communicate(timeout=30)
        self.assertEqual(process.returncode, 130, said)
        self.assertIn("Stopped; the same command goes on from here", said)
        self.assertEqual(self.statuses().count("skipped"), 1)
        self.assertEqual(set(self.statuses()), {"finished", "skipped"}, "the run in progress was not cut off")
        self.assertFalse(send_control(controls, SKIP), "nobody hears any more")

    def test_runs_are_paused_between_and_go_on(self):
        self.write_plan(SLOW, task(seeds=range(1, 60)))
        process = self.begun()
        controls = self.journal().with_suffix(".controls")
        send_control(controls, PAUSE)
        self.wait_for("paused")
        kept = sum(entry.get("entry") == "kept" for entry in self.entries())
        time.sleep(0.5)
        self.assertEqual(sum(entry.get("entry") == "kept" for entry in self.entries()), kept)
        send_control(controls, GO_ON)
        process.communicate(timeout=60)
        self.assertEqual((process.returncode, len(self.statuses())), (0, 59))

    def test_watching_in_a_pipe_prints_what_is_made_until_it_is_over(self):
        self.write_plan(LONG, task(seeds=(1, 2, 3)))
        process = self.begun()
        watched = self.unvek("watch").stdout
        process.communicate(timeout=30)
        for words in ("3 runs in 1 round", "1/3  slow  violet, seed 1", "3/3  slow  violet, seed 3"):
            self.assertIn(words, watched)
        after = self.unvek("watch")
        self.assertIn("nothing runs on this machine now", after.stderr)
        self.assertIn("3/3  slow  violet, seed 3", after.stdout)


class Signals(Engine):
    def test_a_stop_is_clean_and_leaves_no_process(self):
        self.write_plan(SLOW, task(seeds=(1,)), task("hung", seeds=(1,)) + 'settings = { do = "hang" }\n')
        process = self.begun()
        while sum(entry.get("event") == "step" for entry in self.entries()) < 4:
            time.sleep(0.02)  # until the second run, which would never end by itself, has begun
        children = psutil_children(process.pid)
        process.send_signal(signal.SIGTERM)
        _, said = process.communicate(timeout=30)
        self.assertEqual(process.returncode, 130, said)
        self.assertFalse([pid for pid in children if is_alive(pid)])
        self.assertEqual(self.statuses()[-1], "interrupted")

    def test_a_closing_terminal_stops_the_runs_unless_they_are_to_keep_going(self):
        for arguments, seeds, statuses in ((("--keep-going",), 3, ["finished"] * 3), ((), 60, None)):
            with self.subTest(arguments=arguments):
                self.write_plan(LONG, task(seeds=range(1, seeds + 1)))
                log = f"logbook{len(arguments)}"
                pid = self.run_on_a_terminal_that_closes("run", "--plain", "--logbook", log, *arguments)
                for _ in range(300):
                    if not is_alive(pid):
                        break
                    time.sleep(0.1)
                self.assertFalse(is_alive(pid))
                rows = self.result("log", "--logbook", log)["rows"]
                if statuses is not None:
                    self.assertEqual([row["status"] for row in rows], statuses)
                else:
                    self.assertLess(len(rows), seeds)

    def run_on_a_terminal_that_closes(self, *arguments: str) -> int:
        """Start the program as a shell's child on a terminal of its own, and close that in the middle of a run."""
        pid, terminal = pty.fork()
        if pid == 0:
            os.chdir(self.folder)
            os.environ.update({VARIABLE: MACHINE_LOCK, "PYTHONWARNINGS": ""})
            os.execv(sys.executable, [sys.executable, "-m", "unvek", *arguments])
        drawn = b""
        while b"1/" not in drawn:
            drawn += os.read(terminal, 4096)
        os.close(terminal)
        self.addCleanup(os.waitpid, pid, 0)
        return pid


class OneAtATime(Engine):
    def test_a_second_is_told_who_holds_the_machine_or_waits(self):
        self.write_plan(LONG, task(seeds=range(1, 31)))
        first = self.begun()
        self.write_plan(SLOW, task(seeds=(1, 2, 3)))
        second = self.unvek("run", "--logbook", "another", expect=2)
        self.assertIn(f"by process {first.pid} of ", second.stderr)
        self.assertIn("add --wait", second.stderr)
        waiting = self.unvek("run", "--logbook", "another", "--wait")
        self.assertIn(f"waiting for process {first.pid}", waiting.stderr)
        self.assertIn("3 runs made", waiting.stderr)
        first.communicate(timeout=30)

    def test_a_process_that_was_killed_holds_nothing(self):
        self.write_plan(LONG, task(seeds=(1, 2)))
        first = self.begun()
        os.killpg(first.pid, signal.SIGKILL)
        first.wait()
        self.unvek("run")
        self.assertEqual(self.statuses().count("finished"), 2)


class Turns(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "machine.lock"
        before = os.environ.get(VARIABLE)
        os.environ[VARIABLE] = str(self.path)
        self.addCleanup(lambda: os.environ.update({VARIABLE: before}) if before else os.environ.pop(VARIABLE))

    def test_the_holder_says_who_it_is_and_what_anybody_wrote_is_checked(self):
        self.assertIsNone(holder())
        with held_machine("Which \x1b painter?") as lock:
            lock.tell_journal(Path("/x/1.jsonl"))
            self.assertEqual((holder().pid, holder().journal), (os.getpid(), Path("/x/1.jsonl")))
            with self.assertRaisesRegex(MachineBusyError, "Which"), held_machine("another"):
                self.fail("two at a time")
            for wrong in ("", "[]", '{"pid": "x", "journal": 3}', "{" * 9000, "\0"):
                self.path.write_text(wrong)
                self.assertIsNone(holder().journal)
        self.assertIsNone(holder())


class Asks(unittest.TestCase):
    def test_what_can_not_be_asked_is_passed_over_and_a_link_is_not_followed(self):
        with tempfile.TemporaryDirectory() as name:
            reader = ControlReader(Path(name) / "1.controls")
            interruption = Interruption()
            interruption.listen(reader)
            send_control(reader.path, "burn the house down")
            send_control(reader.path, PAUSE)
            self.assertEqual(
                (interruption.no_more(), interruption.paused, interruption.skip_asked()), (False, True, False)
            )
            send_control(reader.path, GO_ON)
            send_control(reader.path, SKIP)
            self.assertEqual(
                (interruption.skip_asked(), interruption.skip_asked(), interruption.paused), (True, False, False)
            )
            (Path(name) / "diary").write_text("dear diary\n")
            (Path(name) / "2.controls").symlink_to(Path(name) / "diary")
            self.assertFalse(send_control(Path(name) / "2.controls", SKIP))
            self.assertEqual((Path(name) / "diary").read_text(), "dear diary\n")


def psutil_children(pid: int) -> list[int]:
    return [child.pid for child in psutil.Process(pid).children(recursive=True)]


if __name__ == "__main__":
    unittest.main()
