"""Rounds that are added until the ratios are known: how many is settled once, whatever happens in between."""

import sqlite3
import unittest
from contextlib import closing

from tests.support import ProjectTest, task, variant

# Launches that differ by a set amount: the nth start of a variant is so much slower.
UNSTEADY = """
import time
from pathlib import Path

def load(variant):
    path = Path("starts-" + variant.name)
    started = len(path.read_text()) if path.exists() else 0
    path.write_text("x" * (started + 1))
    return 1 + variant.settings["apart"] * (started % 3)

def run(model, job, probe):
    for _ in range(2):
        time.sleep(0.03 * model)
        probe.step()
"""


class Settling(ProjectTest):
    def write_settling(self, apart: float, settle_to: str, most: int) -> None:
        self.write("model.py", UNSTEADY)
        plan = self.write_plan(
            variant("slow", apart=0.0), variant("quick", apart=apart), task(seeds=(1,)), rounds=3, repeats=2
        )
        text = plan.read_text().replace("[schedule]", f'[schedule]\nsettle_to = "{settle_to}"\nmost_rounds = {most}')
        plan.write_text(text)

    def rounds_made(self) -> int:
        return max(row["round"] for row in self.log())

    def test_rounds_are_added_up_to_the_most(self):
        self.write_settling(apart=0.3, settle_to="2 %", most=5)
        done = self.unvek("run", "plan.toml", "--plain")
        self.assertIn("20 runs in 5 rounds, 12 of them done before", done.stderr)
        self.assertEqual(self.rounds_made(), 5)
        text = self.unvek("compare").stdout
        self.assertIn("until each ratio of times is known to 2 %: 5 in all", text)
        self.assertIn("Not known that well: quick", text)
        found = self.result("check", "plan.toml")
        self.assertEqual((found["rounds"], found["runs"], found["already"], found["settle_to"]), (5, 20, 20, 0.02))
        self.assertIn("0 runs made, 20 were there before", self.unvek("run", "plan.toml").stderr)

    def make_it_have_taken(self, *ratios: float) -> None:
        """Rewrite what the runs of the first rounds took: quick's time over slow's, round by round."""
        with closing(sqlite3.connect(self.folder / "logbook" / "runs.sqlite")) as database, database:
            database.execute("update runs set time_s = 1")
            for number, ratio in enumerate(ratios, 1):
                database.execute("update runs set time_s = ? where variant = 'quick' and round = ?", (ratio, number))

    def test_the_plans_own_rounds_decide_how_many_are_added(self):
        self.write_settling(apart=0.0, settle_to="4 %", most=3)
        self.unvek("run")
        self.write_settling(apart=0.0, settle_to="4 %", most=9)
        self.make_it_have_taken(0.5, 0.501, 0.502)
        self.assertIn("0 runs made", self.unvek("run").stderr)
        self.assertNotIn("Not known that well", self.unvek("compare").stdout)
        self.make_it_have_taken(1.0, 1.02, 1.04)  # (4.303 x 0.0196 / log 1.04)^2 = 4.6
        self.unvek("run")
        self.assertEqual(self.rounds_made(), 5)

    def test_a_voided_run_is_made_again_and_decides_anew(self):
        self.write_settling(apart=0.3, settle_to="2 %", most=4)
        self.unvek("run", "plan.toml")
        self.assertEqual(self.rounds_made(), 4)
        self.unvek("void", "1", "--why", "a delivery")
        self.unvek("run", "plan.toml")
        self.assertEqual(sum(row["voided"] is None for row in self.log()), 16)

    def test_what_makes_no_sense_is_told(self):
        for line, where, wanted in (
            ('settle_to = "3"', "schedule.settle_to", "a percentage above 0"),
            ('settle_to = "3 %"\nmost_rounds = 2', "schedule.most_rounds", "no fewer than rounds"),
            ("most_rounds = 20", "schedule.most_rounds", "settle_to beside it"),
            ('settle_to = "3 %"\nrounds = 2', "schedule.rounds", "3 or more"),
        ):
            with self.subTest(line):
                plan = self.write_plan(variant("slow"), task(), rounds=3)
                rounds = "" if "\nrounds" in line else "rounds = 3"
                plan.write_text(plan.read_text().replace("rounds = 3", f"{line}\n{rounds}", 1))
                errors = self.result("check", "plan.toml", expect=2)["errors"]
                self.assertEqual([error["where"] for error in errors], [where])
                self.assertIn(wanted, errors[0]["wanted"])


if __name__ == "__main__":
    unittest.main()
