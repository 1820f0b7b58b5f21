"""Tasks from files: rows of CSV and JSON Lines, prompts in files of their own, one prompt in several lengths."""

import json
import unittest

from tests.support import SLOW, ProjectTest, task
from unvek.core.errors import PlanError
from unvek.core.plan.model import Task
from unvek.core.plan.reading.plan import read_plan

CSV = """\ufeffname,prompt,seeds,expect,facts.things,settings.width,settings.fine
violet,"a violet flower,
with six petals",11;12,violet petals; six petals,4,48,true
,plain,,,,,
"""


class TasksFromFiles(ProjectTest):
    def tasks(self, *tables: str) -> tuple[Task, ...]:
        return read_plan(self.write_plan(SLOW, *tables)).tasks

    def errors(self, *tables: str) -> list[tuple[str, str]]:
        with self.assertRaises(PlanError) as caught:
            self.tasks(*tables)
        return [(problem.where, problem.found) for problem in caught.exception.problems]

    def test_a_row_is_a_task_and_what_stands_in_the_plan_is_said_for_those_without_it(self):
        self.write("prompts.csv", CSV)
        self.write("more.jsonl", '{"name": "j", "prompt": "a \\"j\\"", "facts": {"things": 2.5}, "seeds": [5]}\n\n')
        violet, plain, other, own = self.tasks(
            '[[tasks]]\nfrom = "prompts.csv"\nseeds = [7]\nfacts = { base = 1 }\n',
            '[[tasks]]\nfrom = "more.jsonl"\n',
            task("own"),
        )
        self.assertEqual((violet.name, violet.prompt), ("violet", "a violet flower,\nwith six petals"))
        self.assertEqual((violet.seeds, violet.expect), ((11, 12), ("violet petals", "six petals")))
        self.assertEqual(
            (dict(violet.facts), dict(violet.settings)), ({"base": 1, "things": 4}, {"width": 48, "fine": True})
        )
        self.assertEqual((plain.name, plain.seeds, dict(plain.facts)), ("prompts-2", (7,), {"base": 1}))
        self.assertEqual((other.prompt, dict(other.facts), other.seeds), ('a "j"', {"things": 2.5}, (5,)))
        self.assertEqual(own.name, "own")

    def test_a_prompt_in_a_file_is_the_same_as_one_in_the_plan_and_lengths_are_exact(self):
        self.write("long.txt", "\none two\n three  four five\n")
        written, short, whole, more = self.tasks(
            '[[tasks]]\nname = "w"\nprompt_file = "long.txt"\n',
            '[[tasks]]\nname = "l"\nprompt_file = "long.txt"\nlength = [2, 5, 12]\nfacts = { base = 1 }\n',
        )
        self.assertEqual(written.prompt, "\none two\n three  four five")
        self.assertEqual((short.name, short.prompt), ("l-2", "one two"))
        self.assertEqual((whole.prompt, dict(whole.facts)), ("one two\n three  four five", {"base": 1, "words": 5}))
        self.assertEqual(len(more.prompt.split()), 12)
        self.assertTrue(more.prompt.startswith("one two\n three  four five one two"), more.prompt)

    def test_every_fault_is_told_with_its_line_and_many_are_not_told_one_by_one(self):
        for name, text, where, found in (
            ("a.csv", "name,promt\na,b\n", "tasks[1].from", "a column 'promt', which no task has"),
            ("b.csv", "name,prompt\na,b,c\n", "tasks[1].from", "line 2 has 3 cells, and there are 2 columns"),
            ("c.csv", 'name,prompt\n"a,b\n', "tasks[1].from", "unexpected end of data"),
            ("d.csv", "prompt,prompt\na,b\n", "tasks[1].from", "two columns of one name"),
            ("e.csv", "", "tasks[1].from", "no rows in it"),
            ("f.csv", "name,seeds\n", "tasks[1].from", "no rows in it"),
            ("g.csv", 'prompt,name\n"x\ny",\nz,-\n', "g.csv line 4.name", "'-'"),
            ("h.csv", "prompt,seeds\nx,one;2\n", "h.csv line 2.seeds", "['one', 2]"),
            ("i.jsonl", '{"prompt": "x"}\n[1]\n', "tasks[1].from", "line 2 is [1], and no object"),
            ("j.jsonl", "[" * 200_000, "tasks[1].from", "line 1 isn't JSON"),
            ("k.jsonl", '{"prompt": "x", "facts": [1]}\n', "k.jsonl line 1.facts", "[1]"),
            ("l.jsonl", '{"prompt": "x", "from": "l.jsonl"}\n', "l.jsonl line 1.from", "an unknown key"),
            ("m.jsonl", '{"prompt": NaN}\n', "m.jsonl line 1.prompt", "nan"),
            ("n.txt", "x", "tasks[1].from", "'n.txt'"),
        ):
            with self.subTest(name):
                self.write(name, text)
                (first, *more) = self.errors(f'[[tasks]]\nfrom = "{name}"\n')
                self.assertEqual((first[0], more), (where, []))
                self.assertIn(found, first[1])
        self.write("many.csv", "name,prompt,seeds\n" + "".join(f"t{n},,1\n" for n in range(500)))
        self.assertLess(len(self.errors('[[tasks]]\nfrom = "many.csv"\n')), 25)
        for lines, where, found in (
            ('prompt = "x"\nprompt_file = "n.txt"', "tasks[t].prompt_file", "a prompt beside it"),
            ('prompt_file = "none.txt"', "tasks[t].prompt_file", "'none.txt', no such file"),
            ('prompt_file = "e.csv"', "tasks[t].prompt_file", "'e.csv': nothing in it"),
            ('prompt = "x"\nlength = [0]', "tasks[t].length", "0"),
            ('prompt = "long words"\nlength = [1000000, 999999]\nwordings = ["y"]', "tasks[t].length", "wordings"),
            (f'prompt = "{"x" * 1000}"\nlength = [1000000]', "tasks[t].length", "1000000"),
        ):
            with self.subTest(lines[:60]):
                errors = self.errors(f'[[tasks]]\nname = "t"\n{lines}\n')
                self.assertEqual([e[0] for e in errors], [where])
                self.assertIn(found, errors[0][1])

    def test_a_prompt_that_is_too_long_for_a_command_goes_to_it_in_a_file(self):
        self.write("long.txt", "wörd " * 60_000)
        runner = '[runners.{name}]\nkind = "command"\ncommand = ["{{python}}", "count.py", "{{{what}}}"]\nanswer = "printed"\n'
        self.write(
            "count.py", "import os, sys\np = sys.argv[1]\nprint(len(open(p).read()) if os.path.exists(p) else p)\n"
        )
        self.write_plan(
            runner.format(name="asked", what="prompt") + runner.format(name="handed", what="prompt_file"),
            '[[variants]]\nname = "slow"\nrunner = "asked"\n[[variants]]\nname = "file"\nrunner = "handed"\n',
            '[[tasks]]\nname = "l"\nprompt_file = "long.txt"\n[[tasks]]\nname = "s"\nprompt = "short"\n',
        )
        self.unvek("run", expect=1)
        runs = {(row["variant"], row["task"]): self.result("show", str(row["run"])) for row in self.log()}
        self.assertIn("with {prompt_file} in its place", runs["slow", "l"]["error"])
        self.assertEqual({key: run["text"] for key, run in runs.items() if key != ("slow", "l")},
                         {("slow", "s"): "short\n", ("file", "l"): "300000\n", ("file", "s"): "5\n"})  # fmt: skip

    def test_a_curve_goes_along_the_lengths(self):
        self.write("long.jsonl", json.dumps({"prompt": "one two three", "length": [2, 4, 8]}))
        self.write_plan(SLOW, '[[tasks]]\nfrom = "long.jsonl"\nseeds = [1, 2]\n')
        self.have_runs()
        points = self.result("curve", "words")["rows"][0]["points"]
        self.assertEqual([point["value"] for point in points], [2, 4, 8])


if __name__ == "__main__":
    unittest.main()
