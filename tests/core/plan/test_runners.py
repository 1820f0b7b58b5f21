"""Runners, placeholders and what is varied, as a plan has them: what is read, and what is told when it is wrong."""

import unittest

from tests.support import ProjectTest, task, variant
from unvek.core.errors import PlanError
from unvek.core.plan.cells import cells_of, read_sources
from unvek.core.plan.placeholders import filled, filled_json, names_in
from unvek.core.plan.reading.plan import read_plan
from unvek.core.plan.runners import load_problem

SERVER = """
[runners.cards]
kind = "stream"
url = "http://127.0.0.1:1/{prompt}"
text = "/text"
"""


class Placeholders(unittest.TestCase):
    def test_names_in_braces_are_replaced_and_nothing_else_is(self):
        values = {"steps": 20, "prompt": 'a "rose" {steps}', "on": True, "weights[0]": "/w", "parts.decoder": "/d"}
        for template, text in (
            ("--steps={steps}", "--steps=20"), ("{prompt}", 'a "rose" {steps}'), ("{on}", "true"), ("{{steps}}", "{steps}"),
            ('{"a": {steps}}', '{"a": 20}'), ("{} { x } {0}", "{} { x } {0}"), ("{weights[0]}{parts.decoder}", "/w/d"), ("{{{steps}}}", "{20}"),
        ):  # fmt: skip
            with self.subTest(template):
                self.assertEqual(filled(template, values), text)
        self.assertEqual(filled_json({"a": ["{steps}", "n {steps}", 1.5, None], "{steps}": "{on}"}, values),
                         {"a": [20, "n 20", 1.5, None], "{steps}": True})  # fmt: skip
        self.assertEqual(list(names_in({"a": ["{x}", {"b": "{y} {{z}}"}]})), ["x", "y"])
        with self.assertRaises(KeyError):
            filled("{steps} {missing}", values)

    def test_settings_of_clients_must_be_ones(self):
        for settings, words in (
            ({"clients": 0}, "clients can't be 0"), ({"clients": "many"}, "'many'"), ({"clients": True}, "True"), ({"requests": 2.5}, "2.5"),
            ({"arrivals_per_second": -1}, "-1"), ({"clients": 2, "arrivals_per_second": 3}, "either"),
        ):  # fmt: skip
            self.assertIn(words, load_problem(settings) or "")
        self.assertIsNone(load_problem({"clients": 3, "requests": 9, "steps": 0}))


class Plans(ProjectTest):
    def cells(self, *tables: str):
        plan = read_plan(self.write_plan(*tables))
        return cells_of(plan, read_sources(plan))

    def problems(self, *tables: str) -> str:
        with self.assertRaises(PlanError) as caught:
            read_plan(self.write_plan(*tables))
        return "\n".join(map(str, caught.exception.problems))

    def test_every_combination_of_varied_values_is_a_cell_and_wins_over_the_variants_setting(self):
        cells = self.cells(
            variant("slow", steps=20), task(seeds=[1]), '[vary]\nsteps = [2, 4]\nmode = ["a", "b", "c"]\n'
        )
        self.assertEqual(len({cell.key for cell in cells}), 6)
        self.assertEqual(
            [dict(cell.varied) for cell in cells][:2], [{"steps": 2, "mode": "a"}, {"steps": 2, "mode": "b"}]
        )
        self.assertTrue(all(cell.settings["steps"] == cell.varied["steps"] for cell in cells))
        self.assertEqual([dict(c.varied) for c in self.cells(variant("slow"), task(seeds=[1]))], [{}])

    def test_a_runners_clients_are_varied_where_there_are_several(self):
        behind = variant("slow") + 'runner = "cards"\n'
        several = self.cells(SERVER + "clients = [1, 4]\nrequests = 8\n", behind, task(seeds=[1]))
        self.assertEqual(
            [(dict(c.varied), c.settings["requests"]) for c in several], [({"clients": 1}, 8), ({"clients": 4}, 8)]
        )
        (one,) = self.cells(SERVER + "clients = 3\n", behind, task(seeds=[1]))
        self.assertEqual((dict(one.varied), dict(one.settings)), ({}, {"clients": 3}))

    def test_what_a_server_is_asked_belongs_to_the_cell(self):
        behind = variant("slow") + 'runner = "cards"\n'
        keys = {
            self.cells(SERVER + more, behind, task(seeds=[1]))[0].key
            for more in ("", "body = { a = 1 }\n", "retries = 2\n", 'count = "tokens"\n')
        }
        self.assertEqual(len(keys), 4)

    def test_what_is_wrong_with_a_server_is_told(self):
        found = self.problems(
            '[runners.cards]\nkind = "stream"\nurl = "ftp://x"\ntext = "no pointer"\nserve = ["python3"]\nbody = { when = 2020-01-01 }\n'
            'clients = [1, 1]\nmethod = "BREW"\nsecrets = ["1BAD"]\nframing = "xml"\n[runners.cards.headers]\n"bad name" = "x"\n',
            variant("slow") + 'runner = "cards"\n', task(),
        )  # fmt: skip
        for words in ("runners.cards.url: found 'ftp://x'", "JSON Pointer", "runners.cards.ready: found nothing", "no dates", "list of different",
                      "BREW", "environment variable", "xml", "bad name"):  # fmt: skip
            self.assertIn(words, found)
        found = self.problems(
            SERVER + 'body = { seed = "{sead}", out = "{out}" }\nserve = ["{python}", "{steps}"]\nready = "http://127.0.0.1:{port}/"\n',
            variant("slow", steps=3, clients=2) + 'runner = "cards"\n', task(), "[vary]\narrivals_per_second = [1.5]\n",
        )  # fmt: skip
        for words in (
            "{sead}, which variant slow with task violet does not have",
            "did you mean seed?",
            "{out}",
            "either clients or",
        ):
            self.assertIn(words, found)
        self.assertNotIn("{steps}", found)

    def test_what_is_varied_has_bounds(self):
        many = ", ".join(map(str, range(200)))
        self.assertIn(
            "40000 combinations", self.problems(variant("slow"), task(), f"[vary]\na = [{many}]\nb = [{many}]\n")
        )
        for wrong in ("a = 3", "a = []", "a = [1, 1]", "a = [[1]]", "a = [nan]"):
            self.assertIn("vary.a", self.problems(variant("slow"), task(), f"[vary]\n{wrong}\n"))

    def test_a_zero_byte_in_a_command_is_told_and_nothing_breaks(self):
        self.write_plan(
            '[runners.p]\nkind = "command"\ncommand = ["true", "{x}"]\n',
            variant("slow", x="a\0b") + 'runner = "p"\n',
            task(seeds=[1]),
        )
        self.unvek("run", expect=1)
        self.assertIn("can't be started", self.result("show", "1")["error"])


if __name__ == "__main__":
    unittest.main()
