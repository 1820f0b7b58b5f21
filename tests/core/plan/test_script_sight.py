"""What is seen of a script without running it; what is wrong with it is told by check, with its line."""

import unittest

from tests.support import SLOW, ProjectTest, task, variant
from unvek.core.plan.script_sight import Needed, sight_of

GOOD = "def load(variant): pass\ndef run(model, job, probe): probe.step()\n"


class Seen(ProjectTest):
    def seen(self, text: str):
        return sight_of(self.write("seen.py", text))

    def test_settings_are_those_asked_for_by_name(self):
        sight = self.seen(
            "def load(variant):\n    return variant.settings['bits'], variant.weights[0]\n"
            "def run(model, job, probe):\n    s = job.settings\n    n = s['steps']\n    g = s.get('guidance', 2.0)\n"
            "    w = job.settings.get('width')\n    key = 'x'\n    s[key]\n    other = {}\n    other['not']\n"
        )
        self.assertEqual(sight.settings, {"bits": Needed, "steps": Needed, "guidance": 2.0, "width": None})
        self.assertIn("weights", sight.attributes)

    def test_functions_may_come_from_anywhere(self):
        for text in (
            "from other import load, run\n", "from other import *\n", "import other\nload = other.load\nrun = other.run\n",
            "try:\n    from fast import load\nexcept ImportError:\n    def load(v): pass\nif True:\n    def run(m, j, p): pass\n",
            "exec('def load(v): pass')\n", "load, run = make()\n",
        ):  # fmt: skip
            with self.subTest(text):
                sight = self.seen(text)
                self.assertFalse(sight.is_missing("load") or sight.is_missing("run"))
        self.assertTrue(self.seen("def load(v): pass\n").is_missing("run"))
        self.assertTrue(self.seen("def outer():\n    def run(m, j, p): pass\n").is_missing("run"))

    def test_parameters_are_counted_as_python_counts_them(self):
        for parameters, fits in (
            ("a, b, c", True), ("a, b", False), ("a, b, c, d", False), ("a, b, c, d=1", True), ("*all", True),
            ("a, /, b, c", True), ("a, b, c, *, name", False), ("a, b, c, *, name=1", True), ("a, b, c, **more", True),
        ):  # fmt: skip
            with self.subTest(parameters):
                self.assertEqual(self.seen(f"def run({parameters}): pass\n").functions["run"].takes(3), fits)


class Checked(ProjectTest):
    def errors(self, script: str) -> list[tuple[str, str]]:
        self.write("model.py", script)
        self.write_plan(SLOW, task())
        return [(error["where"], error["found"]) for error in self.result("check", expect=2)["errors"]]

    def test_what_can_not_work_is_an_error_with_its_line(self):
        where = "runners.painter.script"
        for script, found in (
            ("def run(m, j, p): pass\n", "model.py has no load(variant)"),
            ("def load(v): pass\n", "model.py has no run(model, job, probe)"),
            ("def load(): pass\ndef run(m, j, p): pass\n", "model.py:1: a function load with other parameters"),
            ("def load(v): pass\n\nasync def run(m, j, p): pass\n", "model.py:3: an async function"),
            ("def load(v):\nreturn\n", "model.py:2: expected an indented block"),
        ):
            with self.subTest(script):
                ((at, said),) = self.errors(script)
                self.assertEqual(at, where)
                self.assertTrue(said.startswith(found), said)
        for script in ("(" * 5000, "x\0"):
            self.assertTrue(self.errors(script))
        self.assertIn(
            "model.py has no load(variant)", self.unvek("run", expect=2).stderr if self.errors("x = 1\n") else ""
        )

    def doubts(self, script: str, **settings) -> list[str]:
        self.write("model.py", script)
        self.write_plan(variant("slow", **settings), task())
        return [doubt for doubt in self.result("check")["doubts"] if "model.py" in doubt]

    def test_what_the_probe_does_not_have_and_steps_that_nobody_reports_are_doubts(self):
        self.assertEqual(self.doubts(GOOD, steps=4), [])
        (doubt,) = self.doubts("def load(v): pass\ndef run(m, j, p):\n    p.sync = print\n    p.stepp(of=3)\n")
        self.assertEqual(doubt, "model.py:4: the probe has no stepp; did you mean step?")
        silent = "def load(v): pass\ndef run(m, j, p):\n    p.output(b'', 'x')\n"
        self.assertEqual(self.doubts(silent), [])
        self.assertIn("model.py reports no step, though steps is set", self.doubts(silent, steps=4)[0])
        self.assertEqual(self.doubts(silent + "    paint(callback=p)\n", steps=4), [], "somebody else may report them")


class Failing(ProjectTest):
    def test_an_error_is_told_with_its_place_and_line_and_the_same_in_two_launches_is_enough(self):
        helper = "def size(settings, what):\n    return settings['stpes ' + what]\n"
        self.write("helper.py", helper)
        self.write(
            "model.py",
            "import helper\ndef load(v): return {}\ndef run(m, j, p):\n    p.step()\n    helper.size(m, str(j.seed))\n",
        )
        self.write_plan(variant("slow"), task(seeds=(1, 2)), rounds=4)
        said = self.unvek("run", expect=1).stderr
        rows = self.log()
        self.assertEqual([row["status"] for row in rows], ["failed"] * 4 + ["skipped"] * 4)
        error = self.result("show", "1")["error"]
        self.assertEqual(error, "helper.py:2: KeyError: 'stpes 1'  in: return settings['stpes ' + what]")
        self.assertIn("left out: every run of slow in 2 launches failed: helper.py:2: KeyError", said)

    def test_one_bad_prompt_is_not_all_of_them(self):
        script = "import os\ndef load(v): pass\ndef run(m, j, p):\n    if j.seed == 1: os._exit(3)\n    p.step()\n"
        self.write("model.py", script)
        self.write_plan(variant("slow"), task(seeds=(1, 2)), rounds=3, repeats=2)
        self.unvek("run", expect=1)
        self.assertEqual({row["status"] for row in self.log() if row["seed"] == 2}, {"finished"})
        self.assertEqual([row["status"] for row in self.log() if row["seed"] == 1], ["failed"] * 6)


class OneStep(ProjectTest):
    def test_each_variant_is_loaded_and_makes_one_step_apart_from_the_plans_runs(self):
        script = (
            "import time\ndef load(v):\n    assert v.name != 'quick', 'no weights'\n    return v\n"
            "def run(m, j, p):\n    if m.name == 'bad': m.nothing\n    for _ in range(3000):\n        time.sleep(0.01)\n        p.step()\n"
        )
        self.write("model.py", script)
        self.write_plan(variant("slow"), variant("quick"), variant("bad"), task(seeds=(1, 2)), rounds=3)
        found = self.result("check", "--one-step", expect=1)
        steps = {step["variant"]: step for step in found["first_steps"]}
        self.assertEqual(
            {name: step["ok"] for name, step in steps.items()}, {"slow": True, "quick": False, "bad": False}
        )
        self.assertGreaterEqual(steps["slow"]["first_s"], 0.01)
        self.assertIn("AssertionError: no weights", steps["quick"]["error"])
        self.assertIn("model.py:6: AttributeError", steps["bad"]["error"])
        self.assertEqual(self.log(), [], "kept apart")
        self.assertEqual(self.result("check")["first_steps"], [])
        shown = self.unvek("check", "--one-step", expect=1).stdout
        self.assertRegex(shown, r"slow  loaded in .*, its first step after ")
        self.assertIn("bad  failed: model.py:6", shown)


if __name__ == "__main__":
    unittest.main()
