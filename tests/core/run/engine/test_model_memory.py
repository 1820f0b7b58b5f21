"""What a model adds to its process: known of scripts, without what was there before, and used where every row has it."""

import unittest

from tests.support import ProjectTest, task, variant

SCRIPT = """
def held(mebibytes):
    return bytearray(b"x") * (mebibytes * 2**20)

LIBRARY = held(64)  # what importing costs is no model's

def load(variant):
    return held(variant.settings["weights"])

def run(model, job, probe):
    working = held(job.settings["working"])
    probe.step()
"""
PROGRAM = '[runners.program]\nkind = "command"\ncommand = ["{python}", "-c", "pass"]\n'


class ModelMemory(ProjectTest):
    def test_it_is_what_loading_and_running_have_added(self):
        self.write("model.py", SCRIPT)
        self.write_plan(
            variant("slow", weights=48, working=8) + variant("quick", weights=12, working=4), task(seeds=(1, 2))
        )
        self.unvek("run")
        for row in self.log():
            measures = self.result("show", str(row["run"]))["measures"]
            held = {"slow": 56, "quick": 16}[row["variant"]] * 2**20
            self.assertTrue(
                held - 2**20 <= measures["memory.model"] < held + 6 * 2**20, measures["memory.model"] / 2**20
            )
            self.assertGreater(measures["memory.peak"] - measures["memory.model"], 64 * 2**20)
        measured = {row["variant"]: row["measures"] for row in self.result("compare")["rows"]}
        self.assertLess(measured["quick"]["memory.model"]["ratio"]["value"], 0.4)
        self.assertGreater(measured["quick"]["memory.peak"]["ratio"]["value"], 0.6)
        self.assertIn("model memory", self.unvek("compare").stdout)
        self.assertIn("memory.model", [count["measure"] for count in self.result("tradeoff")["counts"]])
        self.assertIn("of it since before the model was loaded", self.unvek("show", "1").stdout)

    def test_beside_a_program_of_which_it_is_not_known_all_is_counted(self):
        self.write_plan(PROGRAM, variant("slow"), variant("quick") + 'runner = "program"\n', task(seeds=(1, 2)))
        self.unvek("run")
        self.assertNotIn("model memory", self.unvek("compare").stdout)
        self.assertIn("memory.peak", [count["measure"] for count in self.result("tradeoff")["counts"]])


if __name__ == "__main__":
    unittest.main()
