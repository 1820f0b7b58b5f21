"""One prompt, now: made, shown, and kept apart from the plan's runs."""

import unittest

from tests.support import QUICK, SLOW, ProjectTest, task, variant
from unvek.core.errors import InputError
from unvek.core.logbook.place import Place
from unvek.core.plan.reading.plan import read_plan
from unvek.core.session.trial import TrialOptions, make_trial, parse_seeds


class Trials(ProjectTest):
    def test_a_trial_is_made_shown_and_kept_apart(self):
        self.write_plan(SLOW, QUICK, task(), rounds=2)
        found = self.result("try", "--variant", "quick", "--set", "steps=5", "--prompt", "another", "--seeds", "1..2,7")
        self.assertEqual((found["variant"], found["prompt"], found["settings"]["steps"]), ("quick", "another", 5))
        self.assertEqual(
            found["task"], "own-prompt", "nothing that is known of the plan's task holds of another prompt"
        )
        self.assertEqual([(row["seed"], row["status"], row["steps"]) for row in found["rows"]],
                         [(seed, "finished", 5) for seed in (1, 2, 7)])  # fmt: skip
        self.assertEqual(self.log(), [])
        self.unvek("compare", expect=2)
        self.assertEqual(
            [row["varied"] for row in self.result("log", "--tries", "--varied", "steps=5")["rows"]], [{"steps": 5}] * 3
        )
        self.unvek("run")
        self.assertEqual(self.statuses(), ["finished"] * 8)
        text = self.unvek("try").stdout
        self.assertIn("slow", text)
        self.assertIn("seed 1:", text)

    def test_what_is_written_is_counted_and_a_stand_in_is_named(self):
        self.write(
            "model.py",
            "import time\ndef load(variant): 0\ndef run(model, job, probe):\n"
            "    for _ in range(4):\n        probe.token('leaf ')\n        time.sleep(0.001)\n",
        )
        plan = self.write_plan(SLOW, task())
        row = self.result("try")["rows"][0]
        self.assertEqual((row["written"]["count"], row["written"]["unit"], row["source"]), (4, "tokens", "measured"))
        plan.write_text(plan.read_text() + '\n[rig]\nsimulated_accelerator = "24 MiB"\n')
        text = self.unvek("try").stdout
        self.assertRegex(text, r"4 tokens, the first after .*, then [\d.]+ a second")
        self.assertIn("Simulated", text)

    def test_a_text_of_many_empty_lines_and_a_long_prompt_are_folded(self):
        script = (
            "def load(v): pass\ndef run(m, j, p):\n    p.text('\\n' * 9 + 'first' + '\\n' * 9 + 'last' + '\\n' * 9)\n"
        )
        self.write("model.py", script)
        self.write_plan(SLOW, task(prompt="word " * 5000))
        lines = [line.strip() for line in self.unvek("try").stdout.splitlines()]
        self.assertEqual(lines[lines.index("first") : lines.index("last") + 2], ["first", "", "last", ""])
        self.assertLess(len(lines), 30)
        self.assertIn("characters more", " ".join(lines))

    def test_what_can_not_be_tried_is_told(self):
        plan = read_plan(self.write_plan(SLOW, variant("bad", do="raise"), task()))
        for wanted, words in (
            ({"variant": "slo"}, "no variant 'slo'; it has slow, bad; did you mean slow"),
            ({"task": "x"}, "no task 'x'"),
        ):
            with self.assertRaisesRegex(InputError, words):
                make_trial(plan, Place(self.folder / "logbook"), TrialOptions(settings={}, **wanted))
        for seeds, words in (("6..1", "a range upwards"), ("x", "can't be read")):
            with self.assertRaisesRegex(InputError, words):
                parse_seeds(seeds)
        self.assertIn("no NAME=VALUE", self.unvek("try", "--set", "steps", expect=2).stderr)
        self.assertIn("no such flower", self.unvek("try", "--variant", "bad", expect=1).stdout)


if __name__ == "__main__":
    unittest.main()
