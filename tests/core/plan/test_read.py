"""A plan is read into checked values, or every error in it is told at once: where, what was found, what would be right."""

import os
import unittest
from collections import Counter
from itertools import pairwise

from tests.support import LIKENESS, QUICK, SLOW, ProjectTest, task, variant
from unvek.core.errors import InputError, PlanError
from unvek.core.plan.cells import cells_of, order_of_round, read_sources
from unvek.core.plan.reading.plan import read_plan


class GoodPlans(ProjectTest):
    def test_everything_said_is_understood(self):
        self.write("weights.bin", "w")
        plan = read_plan(
            self.write_plan(
                SLOW,
                '[[variants]]\nname = "small"\nform = "quantized"\nof = "slow"\nweights = ["weights.bin"]\n'
                'parts = { decoder = "weights.bin" }\nsettings = { steps = 4, guidance = 1.5, tiled = true }\n'
                'limits = { run = "5 s" }\n',
                task(),
                rounds=4,
                quality=True,
            )
        )
        small = plan.variant("small")
        self.assertEqual((plan.schedule.rounds, plan.schedule.order, plan.reference), (4, "balanced", "slow"))
        self.assertEqual(dict(small.settings), {"steps": 4, "guidance": 1.5, "tiled": True})
        self.assertEqual((small.limits.run_s, small.limits.stall_s), (5.0, 60.0))
        self.assertEqual(small.weights, (self.folder / "weights.bin",))
        self.assertEqual(plan.tasks[0].seeds, (1, 2))
        self.assertEqual((plan.quality, plan.measures[0].kind), ("likeness", "ssim"))

    def test_every_limit_is_read_for_the_plan_and_for_a_variant(self):
        text = 'memory = "12 GiB"\ntokens = 4000\noutput = "200 MiB"\nloop = 8'
        plan = self.write_plan(SLOW, QUICK + 'limits = { memory = "1 GiB", loop = 3 }\n', task(), limits=text)
        plan.write_text(plan.read_text() + '[rig]\nwatts = 65\nsimulated_accelerator = "24 MiB"\n')
        found = read_plan(plan)
        whole, own = (found.variant(name).limits for name in ("slow", "quick"))
        self.assertEqual(
            (whole.memory_bytes, whole.tokens, whole.output_bytes, whole.loop), (12 * 2**30, 4000, 200 * 2**20, 8)
        )
        self.assertEqual((own.memory_bytes, own.tokens, own.output_bytes, own.loop), (2**30, 4000, 200 * 2**20, 3))
        self.assertEqual((found.rig.watts, found.rig.simulated_accelerator_bytes), (65.0, 24 * 2**20))

    def test_margins_are_read_with_dots_or_in_quotes_as_shares_or_of_scores_as_amounts(self):
        plan = self.write_plan(SLOW, QUICK, task(), quality=True)
        text = plan.read_text()
        plan.write_text(text + '[margins]\ntime.total = "5 %"\n"memory.peak" = "10 %"\nlikeness = 0.01\n')
        found = read_plan(plan).margins
        self.assertEqual({name: margin.words for name, margin in found.items()},
                         {"time.total": "5 %", "memory.peak": "10 %", "likeness": "0.01"})  # fmt: skip
        self.assertAlmostEqual(found["likeness"].share_of(0.5), 0.02)
        for line, where in (
            ('time.totl = "5 %"', "margins.time.totl"), ("time.total = 0.05", "margins.time.total"), ('likeness = "5"', "margins.likeness"),
            ("likeness = -1", "margins.likeness"), ('time = "5 %"', "margins.time"), ("likeness = [1]", "margins.likeness"),
            ('"time.total" = "0 %"', "margins.time.total"), ("time.total.x = 1", "margins.time.total.x"),
        ):  # fmt: skip
            with self.subTest(line), self.assertRaises(PlanError) as caught:
                plan.write_text(text + f"[margins]\n{line}\n")
                read_plan(plan)
            self.assertEqual([problem.where for problem in caught.exception.problems], [where])

    def test_limits_that_can_not_be_are_told(self):
        for text, where in (
            ("memory = 12", "limits.memory"), ('memory = "12"', "limits.memory"), ("tokens = 0", "limits.tokens"), ("loop = 1", "limits.loop"),
            ('output = "two"', "limits.output"), ("tokes = 4", "limits.tokes"), ("[rig]\nwatts = -1", "rig.watts"), ('[rig]\nwatts = "65 W"', "rig.watts"),
            ("[rig]\nsimulated_accelerator = true", "rig.simulated_accelerator"),
        ):  # fmt: skip
            with self.subTest(text), self.assertRaises(PlanError) as caught:
                read_plan(self.write_plan(SLOW, task(), limits=text))
            self.assertEqual([problem.where for problem in caught.exception.problems], [where])

    def test_defaults_are_sensible(self):
        text = (
            '[runners.painter]\nscript = "model.py"\n[[variants]]\nname = "one"\n[[tasks]]\nname = "t"\nprompt = "p"\n'
        )
        plan = read_plan(self.write("plan.toml", text))
        self.assertEqual((plan.title, plan.reference, plan.quality), ("plan", "one", None))
        self.assertEqual((plan.schedule.rounds, plan.schedule.repeats, plan.schedule.warmups), (3, 2, 1))
        self.assertEqual((plan.variants[0].limits.run_s, plan.variants[0].limits.stall_s), (None, 300.0))

    def test_a_cell_keeps_its_key_until_something_that_touches_it_changes(self):
        def keys(*tables, **options):
            plan = read_plan(self.write_plan(*tables, **options))
            return [cell.key for cell in cells_of(plan, read_sources(plan))]

        before = keys(SLOW, QUICK, task())
        self.assertEqual(len(set(before)), 4)
        self.assertEqual(keys(SLOW, QUICK, task(), rounds=9, run_limit="3 s"), before)
        self.assertEqual(keys(SLOW, QUICK, task(seeds=(2, 3)))[0], before[1])
        changed = keys(SLOW, variant("quick", "distilled", step_s=0.002, shade=4), task())
        self.assertEqual((changed[:2], changed[2:] == before[2:]), (before[:2], False))
        self.assertNotEqual(keys(SLOW, QUICK, task(prompt="a rose flower")), before)
        script = self.folder / "model.py"
        script.write_text(script.read_text() + "\n")
        self.assertFalse(set(keys(SLOW, QUICK, task())) & set(before))

    def test_settings_of_the_task_give_way_to_those_of_the_variant(self):
        plan = read_plan(self.write_plan(variant("slow", steps=8), task() + "settings = { steps = 2, width = 48 }\n"))
        cell = cells_of(plan, read_sources(plan))[0]
        self.assertEqual(dict(cell.settings), {"steps": 8, "width": 48})

    def test_each_round_begins_with_another_variant(self):
        names = ("a", "b", "c")
        rotated = [order_of_round(names, "rotated", 0, number) for number in (1, 2, 3, 4)]
        self.assertEqual(rotated, [("a", "b", "c"), ("b", "c", "a"), ("c", "a", "b"), ("a", "b", "c")])
        for count in (2, 3, 4, 7, 8):
            many = tuple(range(count))
            rows = [order_of_round(many, "balanced", 0, n) for n in range(1, count * (1 + count % 2) + 1)]
            after = Counter(pair for row in rows for pair in pairwise(row))
            self.assertEqual(
                (len(after), len(set(after.values()))), (count * (count - 1), 1), "each after each, as often"
            )
            self.assertEqual({frozenset(column) for column in zip(*rows, strict=True)}, {frozenset(many)})
        shuffled = [order_of_round(names, "shuffled", 7, number) for number in range(1, 9)]
        self.assertEqual(shuffled, [order_of_round(names, "shuffled", 7, number) for number in range(1, 9)])
        self.assertGreater(len(set(shuffled)), 1)
        self.assertEqual(order_of_round(names, "listed", 0, 2), names)


class WrongPlans(ProjectTest):
    def problems(self, text: str) -> list[tuple[str, str, str]]:
        with self.assertRaises(PlanError) as caught:
            read_plan(self.write("plan.toml", text))
        return [(problem.where, problem.found, problem.wanted) for problem in caught.exception.problems]

    def test_each_mistake_has_its_own_place_and_words(self):
        good = self.write_plan(SLOW, QUICK, task()).read_text()
        cases = {
            # what is changed: (from, to, where, found, wanted)
            "missing file": ('"model.py"', '"modle.py"', "runners.painter.script", "no such file", "load() and run()"),
            "wrong type": ("rounds = 1", 'rounds = "three"', "schedule.rounds", "'three'", "a whole number from 1"),
            "a truth for a number": ("rounds = 1", "rounds = true", "schedule.rounds", "true", "a whole number"),
            "unknown key": ("repeats = 1", "repeat = 1", "schedule.repeat", "an unknown key", "did you mean repeats?"),
            "two of one name": ('"quick"', '"slow"', "variants", "2 of the name 'slow'", "a name of its own"),
            "no such reference": ('"slow"\n[sch', '"slwo"\n[sch', "reference", "'slwo'", "did you mean slow?"),
            "no unit": ('stall = "60 s"', 'stall = "60"', "limits.stall", "'60'", "a duration with its unit"),
            "a number for a duration": ('stall = "60 s"', "stall = 20", "limits.stall", "20", "a duration with its unit"),
            "unknown form": ('"distilled"', '"destilled"', "variants[quick].form", "'destilled'", "did you mean distilled?"),
            "other kind": ('script =', 'kind = "magic"\nscript =', "runners.painter.kind", "'magic'", "one of python"),
            "no seeds": ("seeds = [1, 2]", "seeds = []", "tasks[violet].seeds", "[]", "different whole numbers"),
            "same seeds": ("seeds = [1, 2]", "seeds = [1, 1]", "tasks[violet].seeds", "[1, 1]", "different whole numbers"),
            "a bad name": ('"quick"', '"../quick"', "variants[../quick].name", "'../quick'", "a name of up to 40"),
            "a setting that is none": ("step_s = 0.006", "step_s = [1]", "variants[slow].settings.step_s", "[1]", "a number"),
            "infinity": ("step_s = 0.006", "step_s = inf", "variants[slow].settings.step_s", "inf", "a number, a text"),
            "no interpreter": ('"model.py"', '"model.py"\npython = "env/bin/python"', "runners.painter.python", "no such file", "a program on the PATH"),
            "no prompt": ('prompt = "a violet flower"', "", "tasks[violet].prompt", "nothing", "a prompt, a prompt_file, or input files"),
            "descent": ('"distilled"', '"distilled"\nof = "nobody"', "variants[quick].of", "'nobody'", "another variant"),
        }  # fmt: skip
        for name, (old, new, where, found, wanted) in cases.items():
            with self.subTest(name):
                self.assertIn(old, good)
                problems = self.problems(good.replace(old, new, 1))
                self.assertEqual(len(problems), 1, problems)
                self.assertEqual(problems[0][0], where)
                self.assertIn(found, problems[0][1])
                self.assertIn(wanted, problems[0][2])

    def test_no_variants_and_no_tasks_are_told(self):
        self.assertEqual([where for where, _, _ in self.problems('title = "t"\n')], ["runners", "variants", "tasks"])

    def test_a_quality_that_is_no_measure_is_told(self):
        text = self.write_plan(SLOW, task(), quality=True).read_text()
        problems = self.problems('quality = "looks"\n' + text.lstrip())
        self.assertEqual([problem[0] for problem in problems], ["quality"])
        without = self.problems('quality = "looks"\n' + text.replace(LIKENESS, "").lstrip())
        self.assertIn("[[measures]]", without[0][2])

    def test_all_of_them_come_in_one_go(self):
        text = self.write_plan(variant("slow") + "colour = 1\n", variant("slow", "dull"), rounds=0).read_text()
        text = text.replace('stall = "60 s"', "stall = 20").replace('"model.py"', '"none.py"')
        problems = self.problems(text)
        self.assertEqual(len(problems), 7, problems)

    def test_hostile_values_are_mistakes_like_others(self):
        good = self.write_plan(SLOW, QUICK, task()).read_text()
        deep = ".".join("a" * 1500)  # deeper than Python calls
        painter = '[runners.painter]\nscript = "model.py"\n'
        for name, old, new, where, found in (
            ("no runners", painter, "", "runners", "nothing"),
            ("an unknown one where there is none", painter + '[[variants]]\nname = "slow"', '[[variants]]\nname = "slow"\nrunner = "x"', "runners", "nothing"),
            ("nested thousands deep", "settings = { step_s = 0.006 }", f"settings.{deep} = 1", "variants[slow].settings.a", "{'a'"),
            ("limits nested so", 'stall = "60 s"', f"stall.{deep} = 1", "limits.stall", "{'a'"),
            ("a choice nested so", 'form = "distilled"', f"form.{deep} = 1", "variants[quick].form", "{'a'"),
            ("a name nested so", 'name = "quick"', f"name.{deep} = 1", "variants[2].name", "{'a'"),
            ("thousands of digits", "rounds = 1", "rounds = " + "9" * 5000, "the file", "4300 digits"),
            ("as many as TOML lets through", "rounds = 1", "rounds = 0x" + "f" * 9000, "schedule.rounds", "of some 10837 digits"),
            ("such a setting", "step_s = 0.006", "step_s = " + "9" * 4000, "variants[slow].settings.step_s", "of some 4000 digits"),
            ("nobody's home", '"model.py"', '"~nobody-here/x"', "runners.painter.script", "no such user"),
            ("a file name too long", '"model.py"', f'"{"x" * 300}"', "runners.painter.script", "File name too long"),
            ("a name too long", '"quick"', f'"{"q" * 5000}"', "variants[" + "q" * 59 + "…].name", "'qqq"),
            ("a zero byte", painter, painter.replace("script =", 'kind = "command"\ncommand = ["true", "a\\u0000"]\n#'), "runners.painter.command", "x00"),
        ):  # fmt: skip
            with self.subTest(name):
                self.assertIn(old, good)
                problems = self.problems(good.replace(old, new, 1))
                self.assertEqual((problems[0][0], found in problems[0][1]), (where, True), problems)
                self.assertLess(len(str(problems)), 600)

    def test_what_might_never_end_is_told_at_once(self):
        os.mkfifo(self.folder / "pipe.toml")
        for name in ("pipe.toml", "/dev/zero"):
            self.assertIn("is a pipe or a device", self.unvek("check", name, expect=2, timeout_s=30).stderr)

    def test_text_that_is_no_toml_is_told_with_its_line(self):
        problems = self.problems('title = "t"\nreference = \n')
        self.assertIn("line 2", problems[0][1])
        self.assertIn("isn't TOML", self.problems("a = " + "[" * 5000)[0][1])

    def test_files_that_are_no_plan_are_told(self):
        (self.folder / "bytes.toml").write_bytes(b"\xff\xfe\x00")
        (self.folder / "huge.toml").write_bytes(b"#" * (4 * 2**20 + 1))
        for name, words in (("none.toml", "there is no plan"), (".", "is a folder"), ("bytes.toml", "can't be read as UTF-8"),
                            ("huge.toml", "has more than 4194304 bytes")):  # fmt: skip
            with self.subTest(name), self.assertRaisesRegex(InputError, words):
                read_plan(self.folder / name)


if __name__ == "__main__":
    unittest.main()
