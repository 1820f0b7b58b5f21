"""What a report page carries comes back to the last digit; what was cut off, changed or made up is refused."""

import json
import random
import unittest
from pathlib import Path
from unittest.mock import patch

from tests.support import QUICK, SLOW, ProjectTest, called, task
from unvek.core.errors import InputError
from unvek.core.exchange import page_data
from unvek.core.exchange.page_data import CLOSES, OPENS, digest_of, packed, read_page, unpacked
from unvek.core.logbook.store import Logbook

SECRET = "the violet that nobody may see"


ODD = (None, True, -1, 0, 1e308, "x", "", [], {}, ["x"], "\u202e\x1b[2J", "a" * 20_000, {"x": {}})


def mutate(value, rng: random.Random) -> None:
    """Put something odd into one place of JSON, some way down."""
    while True:
        places = list(value) if isinstance(value, dict) else list(range(len(value)))
        place = rng.choice(places)
        inner = value[place]
        if isinstance(inner, dict | list) and inner and rng.random() < 0.9:
            value = inner
            continue
        value[place] = rng.choice(ODD)
        return


class Carried(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        self.write_plan(
            SLOW, QUICK, task(seeds=[1, 2], prompt=SECRET), task("rose", [3]), rounds=3, warmups=1, quality=True
        )
        self.have_runs()

    def content(self, *options: str) -> str:
        self.unvek("report", *options)
        return (self.folder / "report.html").read_text("utf-8")

    def rewritten(self, change, text: str = "") -> None:
        """Have the page carry other data, with the digest that belongs to them."""
        text = text or self.content()
        start = text.index(OPENS)
        begins = text.index(">", start) + 1
        data = json.loads(text[begins : text.index(CLOSES, begins)])
        change(data)
        made = json.dumps(data)
        end = text.index(CLOSES, begins)
        page = text[:start] + OPENS + digest_of(made) + '">' + made + text[end:]
        (self.folder / "report.html").write_text(page, encoding="utf-8")

    def test_the_same_comparison_comes_back_to_the_last_digit_and_again_changes_nothing(self):
        self.content()
        self.unvek("import", "report.html", "--logbook", "brought")
        ours, theirs = (self.result("compare", *where) for where in ((), ("--logbook", "brought")))
        self.assertEqual([ours[key] for key in ("rows", "doubts", "reference", "quality")],
                         [theirs[key] for key in ("rows", "doubts", "reference", "quality")])  # fmt: skip
        picks = [self.result("tradeoff", *where)["because"] for where in ((), ("--logbook", "brought"))]
        self.assertEqual(*picks)
        said = self.unvek("import", "report.html", "--logbook", "brought").stderr
        self.assertIn("24 runs were here already", said)
        self.unvek("report", "again.html", "--logbook", "brought")

    def test_what_was_chosen_for_the_page_is_what_comes_back(self):
        for options in (("--reference", "quick"), ("--tasks", "violet"), ("--only", "slow")):
            with self.subTest(options):
                self.content(*options)
                self.unvek("import", "report.html", "--logbook", f"of{options[0]}")
                ours, theirs = (self.result("compare", *w)["rows"] for w in (options, ("--logbook", f"of{options[0]}")))
                self.assertEqual(ours, theirs)

    def test_nothing_that_a_page_says_is_run_or_read(self):
        def poison(data) -> None:
            plan = data["plan"]["plan"]
            plan["variants"][0]["weights"] = ["/dev/zero"]
            plan["runners"] = {"painter": {"kind": "command", "name": "painter", "folder": "/", "command": ["touch", "hit"],
                                           "program": "touch", "files": [], "environment": {}, "secrets": [], "outputs": [],
                                           "answer": "files", "start_in": "plan", "terminal": False, "steps": None,
                                           "phases": {}, "values": {}}}  # fmt: skip

        self.rewritten(poison)
        self.unvek("import", "report.html", "--logbook", "brought")
        for command in ("compare", "audit", "measure", "tradeoff"):
            self.unvek(command, "--logbook", "brought")
        with Logbook.open(self.folder / "brought") as logbook:
            record = logbook.newest_plan()
            assert record is not None
            self.assertEqual((dict(record.plan.runners), record.plan.variants[0].weights), ({}, (Path("zero"),)))

    def test_what_was_cut_off_or_changed_on_the_way_is_told(self):
        text = self.content()
        for change, words in (
            (text[: text.index(OPENS) + 3000], "was cut off"),
            (text.replace('"runs":{"count":', '"runs":{"count": '), "was changed on the way"),
            (text.replace(OPENS, "<script>"), "is no report page"),
        ):
            (self.folder / "report.html").write_text(change, encoding="utf-8")
            self.assertIn(words, self.unvek("import", "report.html", "--logbook", "brought", expect=2).stderr)
        self.assertNotIn("brought/runs", [str(path) for path in self.folder.glob("brought/*")])

    def test_data_that_can_not_be_is_refused(self):
        for change in (
            lambda data: data.pop("plan"),
            lambda data: data.update(unvek=2),
            lambda data: data["plan"].update(plan=[]),
            lambda data: data["runs"].update(count=10**9),
            lambda data: data["runs"].update(columns=[]),
            lambda data: data["runs"]["columns"].update(variant={"of": ["a"], "at": [0, 10**12]}),
            lambda data: data["runs"]["columns"].update(time_s=["soon"] * data["runs"]["count"]),
        ):
            self.rewritten(change)
            self.unvek("import", "report.html", "--logbook", "brought", expect=2)

    def test_a_plan_that_no_file_could_have_said_is_refused_or_harmless(self):
        """Mutate what a page says of its plan: whatever comes of it, no command goes wrong within Unvek."""
        text = self.content()
        taken = 0
        for seed in range(80):
            rng = random.Random(seed)
            (self.folder / "report.html").write_text(text, encoding="utf-8")
            self.rewritten(lambda data, rng=rng: mutate(data["plan"], rng), text)
            folder = f"brought-{seed}"
            done = called("import", "report.html", "--logbook", folder, folder=self.folder)
            self.assertIn(done.returncode, (0, 2), (seed, done.stderr))
            for command in ("compare", "tradeoff", "audit") if done.returncode == 0 else ():
                said = called(command, "--logbook", folder, folder=self.folder)
                self.assertIn(said.returncode, (0, 2), (seed, command, said.stderr))
                taken += 1
        self.assertGreater(taken, 10)

    def test_what_may_not_leave_the_house_is_not_in_the_page(self):
        self.assertIn(SECRET, self.content())
        without = self.content("--without-outputs")
        self.assertNotIn(SECRET, without)
        self.assertNotIn("<img", without)
        self.assertIn("violet", without)
        anonymous = self.content("--anonymous")
        for word in (SECRET, "violet", "rose"):
            self.assertNotIn(word, anonymous)
        self.assertIn("task-2", anonymous)
        self.unvek("import", "report.html", "--logbook", "brought")
        ours, theirs = (self.result("compare", *where)["rows"] for where in ((), ("--logbook", "brought")))
        self.assertEqual(ours, theirs)

    def test_columns_come_back_as_they_were(self):
        rows = [{"a": number % 3, "b": None if number % 2 else [number], "c": 1.0 if number < 5 else 1, "d": True,
                 "e": number / 7, "f": number if number > 40 else None} for number in range(50)]  # fmt: skip
        for many in (0, 3, 20, 100):
            with self.subTest(many), patch.object(page_data, "MANY", many):
                found = list(unpacked(json.loads(json.dumps(packed(rows, rows[0])))))
                self.assertEqual(
                    found, [{key: value for key, value in row.items() if value is not None} for row in rows]
                )
                self.assertEqual([type(row["c"]) for row in found], [type(row["c"]) for row in rows])
        with self.assertRaises(InputError):
            read_page(self.write("other.html", "<html>"))


if __name__ == "__main__":
    unittest.main()
