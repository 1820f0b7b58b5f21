"""A coarse pass and a fine one: steps of several kinds, told apart; and nothing made up of what was not seen."""

import unittest

from tests.core.run.events.test_prompt_speed import measured
from tests.support import ProjectTest, task, variant

SCRIPT = """
import time
def load(variant): return variant.settings
def run(model, job, probe):
    probe.phase("prepare")
    for name, count in (("coarse", 10), ("fine", model["fine"])):
        probe.phase(name)
        for _ in range(count):
            time.sleep(0.002 if name == "coarse" else 0.02)
            probe.step(of=count)
    probe.phase("save")
"""
PROGRAM = """
import time
print("Loading model...", flush=True)
time.sleep(1)
for n in range(1, 4):
    print(f"step {n}/3", flush=True)
    time.sleep(0.01)
print("Stage: fine", flush=True)
for n in range(1, 3):
    time.sleep(0.01)
    print(f"step {n}/2", flush=True)
"""
RUNNER = """
[runners.program]
kind = "command"
command = ["{python}", "-u", "prints.py"]
[runners.program.phases]
stage = 'Stage: (?P<name>\\w+)'
"""


class Stages(ProjectTest):
    def test_steps_of_several_phases_are_told_apart(self):
        self.write("model.py", SCRIPT)
        self.write_plan(variant("slow", fine=12), variant("quick", fine=1), task(seeds=(1, 2)), rounds=3, warmups=1)
        self.unvek("run")
        run = self.result("show", "2")
        fine = run["measures"]["step.time.phase.fine"]
        self.assertEqual(
            {name: run["measures"][f"steps.phase.{name}"] for name in ("coarse", "fine")}, {"coarse": 10, "fine": 12}
        )
        self.assertGreaterEqual(fine, 0.02)
        self.assertAlmostEqual(run["measures"]["time.phase.fine"], run["phases"]["fine"])
        rows = {row["variant"]: row for row in self.result("compare")["rows"]}
        split = rows["quick"]["split"]
        self.assertEqual([stage["name"] for stage in split["stages"]], ["coarse", "fine"])
        self.assertAlmostEqual(split["stages"][1]["steps"], 1)
        # Of ten quick steps and twelve slow ones, or one, the one in the middle is of either kind.
        self.assertIn("less by fewer fine steps (1 for 12)", rows["quick"]["sentence"])
        for name in ("time.phase.prepare", "steps.phase.fine", "step.time.phase.coarse"):
            asked = {row["variant"]: row["measures"][name] for row in self.result("compare", "--measure", name)["rows"]}
            self.assertIsNotNone(asked["quick"]["typical"], name)
        self.assertIn("a fine step", self.unvek("compare").stdout)
        told = self.unvek("compare", "--measure", "time.phase.nothing", expect=2).stderr
        self.assertIn("there are start, prepare, coarse, fine, save", told)
        self.assertIn("there are coarse, fine", self.unvek("compare", "--measure", "steps.phase.save", expect=2).stderr)

    def test_what_a_program_does_before_its_first_step_is_in_no_step(self):
        self.write("prints.py", PROGRAM)
        self.write_plan(RUNNER, variant("slow") + 'runner = "program"\n', task(seeds=(1,)))
        self.unvek("run")
        run = self.result("show", "1")
        self.assertEqual((run["steps"], len(run["step_times_s"])), (5, 4), "the first step began unseen")
        self.assertEqual(set(run["phases"]), {"start", "fine"})
        self.assertEqual((run["measures"]["steps.phase.start"], run["measures"]["steps.phase.fine"]), (3, 2))
        self.assertLess(max(run["step_times_s"]), run["phases"]["start"] / 2)


class AtOnce(unittest.TestCase):
    def test_an_answer_that_came_at_once_has_no_first_token(self):
        for events in (
            [(2.0, {"event": "token", "n": 50, "text": "all"}), (2.0, {"event": "tokens", "read": 100})],
            [(2.0, {"event": "token", "text": "all"}), (2.0, {"event": "tokens", "read": 100, "written": 50})],
        ):
            self.assertNotIn("rate.input", measured(*events))
        self.assertIn("rate.input", measured((2.0, {"event": "token"}), (2.0, {"event": "tokens", "read": 100})))


if __name__ == "__main__":
    unittest.main()
