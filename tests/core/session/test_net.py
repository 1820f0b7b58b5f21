"""Whatever a run tells, and whatever goes wrong here in keeping it: that run has its word, and the next is made."""

import os
import threading
import unittest
from unittest import mock

from tests.support import SLOW, ProjectTest, task, variant
from unvek.core.logbook.place import Place
from unvek.core.logbook.store import Logbook
from unvek.core.plan.reading.plan import read_plan
from unvek.core.run.engine.launch import Launch
from unvek.core.session.making import make_runs

TELLS = """
def load(variant): return None
def run(model, job, probe):
    probe.step()
    ring, name = probe._ring, job.settings["told"]
    number = {"digits": "9" * 400, "minus": "-" + "9" * 400, "large": "1e308", "small": "1e-320", "nested": "[" * 30000,
              "seconds": "1e300", "nan": "NaN", "fine": "3.5"}[name]
    unit = "s" if name == "seconds" else ""
    ring.put(('{"event":"value","at_ns":1,"name":"warmth","number":%s,"unit":"%s"}\\n' % (number, unit)).encode())
    for _ in range(20):
        probe.count("calls", 2 ** 62)
"""


class Told(ProjectTest):
    def test_no_number_that_is_told_ends_more_than_itself(self):
        self.write("model.py", TELLS)
        names = ("digits", "minus", "large", "small", "nested", "seconds", "nan", "fine")
        plan = self.write_plan(*(variant(name, told=name) for name in names), task(seeds=(1,)))
        plan.write_text(plan.read_text().replace('reference = "slow"', 'reference = "fine"'))
        self.unvek("run")
        for row in self.log():
            run = self.result("show", str(row["run"]))
            self.assertEqual(run["status"], "finished")
            with self.subTest(row["variant"]):
                self.assertEqual(run["measures"].get("warmth"), 3.5 if row["variant"] == "fine" else None)
                if row["variant"] != "fine":
                    self.assertTrue({"refused", "garbage"} & {kind for kind, _ in run["faults"]}, run["faults"])
        self.unvek("compare")
        self.unvek("tradeoff")


class Net(ProjectTest):
    """The program's own faults: made here, since none is known."""

    def setUp(self) -> None:
        super().setUp()
        assert threading.current_thread() is threading.main_thread()
        os.environ["UNVEK_MACHINE_LOCK"] = str(self.folder / "machine.lock")
        self.addCleanup(os.environ.pop, "UNVEK_MACHINE_LOCK")
        self.plan = read_plan(self.write_plan(SLOW, task(seeds=(1, 2, 3))))

    def made(self) -> list[tuple[str, str | None]]:
        make_runs(self.plan, Place(self.folder / "logbook"))
        with Logbook.open(self.folder / "logbook") as logbook:
            return [(run.status, run.error) for run in logbook.runs()]

    def test_a_run_that_can_not_be_kept_is_filed_as_failed_with_its_time_and_the_next_is_made(self):
        keep = Logbook.keep_run

        def keep_or_fail(logbook, run, outputs=()):
            if run.start.seed == 2 and run.progress.step_times_s:
                raise OverflowError("Python int too large \x1b[2J")
            return keep(logbook, run, outputs)

        with mock.patch.object(Logbook, "keep_run", keep_or_fail):
            made = self.made()
        self.assertEqual([status for status, _ in made], ["finished", "failed", "finished"])
        self.assertEqual(made[1][1], "what it told could not be kept: OverflowError: Python int too large \ufffd[2J")
        run = self.result("show", "2")
        self.assertGreater(run["time_s"], 0)
        self.assertEqual(len(run["outputs"]), 1)

    def test_a_run_that_can_not_be_followed_is_failed_and_its_process_is_replaced(self):
        follow = Launch._follow

        def follow_or_fail(launch, process, recording, watch, telemetry):
            if launch.place == 2 and launch.number == 1:
                raise ZeroDivisionError("division by zero")
            return follow(launch, process, recording, watch, telemetry)

        with mock.patch.object(Launch, "_follow", follow_or_fail):
            made = self.made()
        self.assertEqual([status for status, _ in made], ["finished", "failed", "finished"])
        self.assertIn("could not be followed: ZeroDivisionError", made[1][1])


if __name__ == "__main__":
    unittest.main()
