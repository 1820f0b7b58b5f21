"""Measuring keeps off a machine on which runs are made, goes on where it was stopped, and is done by `run` itself."""

import json
import os
import signal
import sqlite3
import time
import unittest
from contextlib import contextmanager
from multiprocessing import active_children

from tests.core.session.test_measuring import LIKENESS, WRITER
from tests.support import MACHINE_LOCK, QUICK, SLOW, ProjectTest, is_alive, task
from unvek.core.evidence.gathering import gather
from unvek.core.logbook.store import Logbook
from unvek.core.run.machine_lock import MAKING_RUNS, MEASURING, held_machine
from unvek.core.session.measuring.crew import cores
from unvek.core.session.measuring.plan_now import take_measures
from unvek.core.session.measuring.working_out import Manner, work_out

SLEEPER = "import os, sys, time, json\ntime.sleep(0.3)\nprint(json.dumps({'seed': int(sys.argv[1])}))\n"
GATED = "while int(sys.argv[1]) > 29 and not os.path.exists(%r):\n    time.sleep(0.05)\n"
LOOK = '[[measures]]\nname = "look"\nkind = "program"\ncommand = ["{python}", "look.py", "{seed}", "{output}"]\n'


@contextmanager
def machine_held(doing: str = MAKING_RUNS):
    """Have somebody hold the tests' machine meanwhile."""
    os.environ["UNVEK_MACHINE_LOCK"] = MACHINE_LOCK
    try:
        with held_machine("another plan", doing=doing):
            yield
    finally:
        del os.environ["UNVEK_MACHINE_LOCK"]


def on_two_cores() -> None:
    """Have a process take two cores at most, so that it is not done before anybody has looked, and hear Ctrl-C.

    Who is started in the background of a script, as these tests may be, hands on that it is not to be heard.
    """
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    os.sched_setaffinity(0, sorted(os.sched_getaffinity(0))[:2])


class Beside(ProjectTest):
    def made(self, *measures: str, seeds: int = 2, **also) -> None:
        self.write("model.py", WRITER)
        self.write("look.py", SLEEPER)
        self.write_plan(SLOW, QUICK, task(seeds=range(seeds)), *measures, **also)
        self.unvek("run")

    def values(self, name: str) -> int:
        return self.result("measure")["rows"][0]["value_count"] if name else 0

    def kept(self) -> int:
        with sqlite3.connect(self.folder / "logbook" / "runs.sqlite") as database:
            return database.execute("select count(*) from measurements where value is not null").fetchone()[0]

    def test_while_runs_are_made_results_say_what_waits_and_measure_refuses(self):
        self.made(LIKENESS)
        with machine_held():
            said = self.unvek("compare").stdout
            self.assertIn("3 values of outputs not worked out yet: that waits until no runs are being made",
                          " ".join(said.split()))  # fmt: skip
            self.assertEqual(self.kept(), 0)
            self.assertIn("runs are being made on this machine already", self.unvek("measure", expect=2).stderr)
            waiting = self.start("measure", "--wait")
            self.assertIn("waiting for process", waiting.stderr.readline())
            self.assertEqual(self.kept(), 0)
        self.assertEqual(waiting.wait(60), 0, waiting.stderr.read())
        self.assertEqual(self.kept(), 3)
        with machine_held():
            self.assertEqual(self.result("measure")["worked_out"], 0, "what is known needs no machine")

    def test_a_run_waits_while_outputs_are_measured_and_then_measures_too(self):
        self.made(LIKENESS, measure="afterwards")
        self.assertEqual(self.kept(), 3)
        with machine_held(MEASURING):
            running = self.start("run", "--afresh", "--plain")
            self.assertIn("waiting for process", running.stderr.readline())
        self.assertEqual(running.wait(60), 0)
        self.assertEqual(self.kept(), 6)

    def test_what_is_killed_goes_on_where_it_was_and_leaves_nothing_running(self):
        self.made(LOOK + 'time_limit = "5 min"\n', seeds=40)
        gate = self.folder / "open"
        self.write("look.py", SLEEPER + GATED % str(gate))
        for how in (signal.SIGKILL, signal.SIGINT):
            before = self.kept()
            measuring = self.start("measure", preexec_fn=on_two_cores)
            until = time.monotonic() + 60
            while self.kept() == before and time.monotonic() < until:
                time.sleep(0.05)
            family = self.family_of(measuring.pid)
            self.assertGreater(len(family), 1)
            measuring.send_signal(how)
            measuring.wait(30)
            self.assertGreater(self.kept(), before)
            self.assertLess(self.kept(), 80, "what the gate holds up is not there")
            until = time.monotonic() + 20
            while any(map(is_alive, family)) and time.monotonic() < until:
                time.sleep(0.05)
            self.assertFalse([pid for pid in family if is_alive(pid)], how)
        known = self.kept()
        gate.touch()
        self.assertEqual(self.result("measure")["worked_out"] + known, 80)

    def test_two_at_once_work_each_value_out_once(self):
        self.made(LOOK, seeds=6)
        self.write("look.py", SLEEPER + f"open({str(self.folder / 'seen.txt')!r}, 'a').write('x')\n")
        first = self.start("measure", "--as", "json")
        until = time.monotonic() + 60
        while not (self.folder / "seen.txt").exists() and time.monotonic() < until:
            time.sleep(0.02)
        second = self.start("measure", "--as", "json")
        found = [json.loads(one.communicate(timeout=100)[0]) for one in (first, second)]
        self.assertEqual([one["worked_out"] for one in found], [12, 0])
        self.assertEqual((self.folder / "seen.txt").read_text(), "x" * 12)

    def test_stopped_between_two_values_it_gives_up_those_being_worked_out(self):
        if cores() == 1:
            self.skipTest("one core: nothing is measured in processes of their own")
        self.made(LOOK + 'time_limit = "5 min"\n', seeds=40)
        self.write("look.py", SLEEPER + GATED % "never there")
        at_once = []

        def stop(done: int, count: int) -> None:
            at_once.append(active_children())
            if done > 12:
                raise KeyboardInterrupt

        os.environ |= {"UNVEK_MACHINE_LOCK": MACHINE_LOCK}
        self.addCleanup(os.environ.pop, "UNVEK_MACHINE_LOCK")
        with Logbook.open(self.folder / "logbook") as logbook:
            list(take_measures(logbook, None))
            try:
                work_out(logbook, gather(logbook), Manner(progress=stop))
            except KeyboardInterrupt as error:
                stopped = error  # and with it all that was going on, as whoever reports it holds it
        self.assertIsNotNone(stopped)
        self.assertTrue(any(at_once), "others worked at it")
        until = time.monotonic() + 20
        while active_children() and time.monotonic() < until:
            time.sleep(0.05)
        self.assertEqual(active_children(), [])
        self.assertGreaterEqual(self.kept(), 13)

    @staticmethod
    def family_of(pid: int) -> list[int]:
        import psutil

        return [process.pid for process in psutil.Process(pid).children(recursive=True)]

    def test_between_rounds_it_measures_what_is_there(self):
        self.write("model.py", WRITER)
        self.write("look.py", "import json, os, time\nfrom pathlib import Path\n"
                   f"with Path({str(self.folder / 'order.txt')!r}).open('a') as file: file.write('measured\\n')\n"
                   "print(json.dumps({'a': 1}))\n")  # fmt: skip
        script = WRITER.replace(
            "def run(model, job, probe):", "def run(model, job, probe):\n    open('order.txt', 'a').write('run\\n')"
        )
        self.write("model.py", script.replace("probe.text(", "probe.text(str(__import__('time').time_ns()) + "))
        self.write_plan(SLOW, QUICK, task(seeds=(1,)), LOOK.replace(', "{output}"', "").replace('"{seed}"', '"{out}"'),
                        rounds=3, measure="between")  # fmt: skip
        self.unvek("run")
        order = (self.folder / "order.txt").read_text().split()
        self.assertEqual(order, (["run"] * 2 + ["measured"] * 2) * 3)

    def test_measures_of_the_plan_as_it_is_now_need_no_new_runs(self):
        self.made()
        plan = self.folder / "plan.toml"
        plan.write_text(plan.read_text() + '\n[[measures]]\nname = "words"\nkind = "length"\n')
        found = self.unvek("measure")
        self.assertIn("measures are those of", found.stderr)
        self.assertEqual(self.values("words"), 4)
        self.assertEqual(self.result("compare")["rows"][0]["measures"]["words"]["typical"], 4)
        other = self.write("other.toml", plan.read_text().replace('"words"', '"long"'))
        self.unvek("measure", other.name)
        self.assertEqual(self.result("compare")["quality"], "long")
        plan.write_text("no plan [")
        self.assertIn("is no plan any more", self.unvek("measure").stderr)
        self.assertIn("isn't TOML", self.unvek("measure", "plan.toml", expect=2).stderr)
        self.write("strange.toml", other.read_text().replace('"slow"', '"a"').replace('"quick"', '"b"'))
        self.assertIn("has no variant of those", self.unvek("measure", "strange.toml", expect=2).stderr)


if __name__ == "__main__":
    unittest.main()
