"""A plan is kept whole, and comes back as it was."""

import json
import unittest
from pathlib import Path

from tests.support import ProjectTest
from unvek.core.logbook.plan_record import plan_as_json, plan_from_json
from unvek.core.plan.reading.plan import read_plan
from unvek.demo import lay_out

EVERYTHING = """
title = "All that a plan can say"
quality = "passed"
[schedule]
rounds = 3
settle_to = "3 %"
most_rounds = 9
pause = "200 ms"
[limits]
memory = "1 GiB"
loop = 4
[rig]
watts = 65
[runners.paint]
kind = "command"
command = ["true", "{steps}"]
phases = { decode = "decoding" }
values = { heat = { pattern = "heat ([\\\\d.]+)", unit = "K" } }
[runners.cards]
kind = "stream"
url = "http://127.0.0.1:1/{variant}"
body = { ask = "{prompt}", deep = [1, 2.5, true, { more = "x" }] }
text = "/text"
secrets = ["API_KEY"]
clients = [1, 4]
[[variants]]
name = "full"
runner = "paint"
settings = { steps = 4, tiled = true, guidance = 2.0, sampler = "plain" }
parts = { decoder = "model.py" }
weights = ["model.py"]
[[variants]]
name = "asked"
form = "tuned"
of = "full"
runner = "cards"
limits = { run = "5 s" }
[vary]
guidance = [1, 2.5]
[[tasks]]
name = "violet"
prompt = "a violet"
seeds = [1, 2]
inputs = ["model.py"]
expect = ["petals"]
wanted = ["loam"]
facts = { items = 4, share = 0.5 }
settings = { steps = 8 }
[[measures]]
name = "passed"
kind = "told"
unit = "K"
better = "less"
summed_up = "mean"
[[measures]]
name = "likeness"
kind = "ssim"
"""


class Recorded(ProjectTest):
    def comes_back(self, path: Path) -> None:
        plan = read_plan(path)
        kept = json.loads(json.dumps(plan_as_json(plan, ["a", "b"], {"full": 3, "none": None}), allow_nan=False))
        back = plan_from_json(7, str(plan.path), plan.text, kept)
        self.assertEqual(
            (back.number, back.cells, dict(back.weights_bytes)), (7, ("a", "b"), {"full": 3, "none": None})
        )
        for name in plan.__slots__:
            self.assertEqual(getattr(back.plan, name), getattr(plan, name), name)
        self.assertEqual({name: type(runner) for name, runner in back.plan.runners.items()},
                         {name: type(runner) for name, runner in plan.runners.items()})  # fmt: skip
        self.assertEqual(
            [repr(dict(task.facts)) for task in back.plan.tasks], [repr(dict(task.facts)) for task in plan.tasks]
        )

    def test_all_that_a_plan_can_say_comes_back(self):
        self.comes_back(self.write("plan.toml", EVERYTHING))

    def test_every_plan_of_the_demo_comes_back(self):
        lay_out(self.folder / "row", quick=False)
        plans = sorted((self.folder / "row").glob("*.toml"))
        self.assertGreater(len(plans), 5)
        for path in plans:
            with self.subTest(path.name):
                self.comes_back(path)

    def test_what_is_none_is_told_as_damage(self):
        kept = plan_as_json(read_plan(self.write("plan.toml", EVERYTHING)), [], {})
        for wrong in (
            {},
            {**kept, "plan": {}},
            {**kept, "cells": [1]},
            {**kept, "plan": {**kept["plan"], "tasks": 3}},
            [],
        ):
            with self.assertRaises(ValueError):
                plan_from_json(1, "p", "t", wrong)


if __name__ == "__main__":
    unittest.main()
