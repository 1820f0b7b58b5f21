"""Logbooks together: nothing twice, nothing lost, machines and sessions apart, with what people said."""

import shutil
import sqlite3
import unittest
from contextlib import closing
from pathlib import Path
from unittest import mock

from tests.support import QUICK, SLOW, ProjectTest, task
from unvek.core.exchange import merging
from unvek.core.logbook.store import Logbook


class Merge(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        self.write_plan(SLOW, QUICK, task(seeds=(1, 2)), rounds=2, quality=True)
        self.have_runs()
        self.unvek("measure")

    def copy(self, name: str) -> Path:
        return Path(shutil.copytree(self.folder / "logbook", self.folder / name))

    def change(self, folder: Path, *statements: str) -> None:
        with closing(sqlite3.connect(folder / "runs.sqlite")) as database, database:
            for statement in statements:
                database.execute(statement)

    def as_of_another_machine(self, name: str) -> Path:
        """A logbook of the same plan, made on another machine: with ids, times and a rig of its own."""
        folder = self.copy(name)
        self.change(
            folder, "INSERT INTO rigs SELECT 'other-rig', facts FROM rigs", "UPDATE launches SET rig = 'other-rig', id = 'b' || substr(id, 2)",
            "UPDATE sessions SET rig = 'other-rig', id = 'b' || substr(id, 2)", "UPDATE runs SET id = 'b' || substr(id, 2), time_s = time_s * 2",
        )  # fmt: skip
        return folder

    def said(self, *arguments: str) -> str:
        return " ".join(self.unvek("merge", *arguments).stderr.split())

    def everything(self, logbook: str = "logbook") -> list:
        """All that a logbook tells of its runs, but for the numbers that they have in it."""
        with Logbook.open(self.folder / logbook) as book:
            names = {number: row.name for number, row in book.definitions().items()}
            return [
                (run.id, run.variant, run.task, run.seed, run.time_s, run.voided, book.details(run.number).step_times_s,
                 sorted((names[one.definition], one.value or 0, one.against > 0) for one in book.measurements_of(run.number)),
                 sorted((Path(one.path).name, one.digest, (book.folder.path / one.path).is_file()) for one in book.outputs(run.number)),
                 sorted(note.text for note in book.notes(run.number)))
                for run in sorted(book.runs(), key=lambda one: one.id)
            ]  # fmt: skip

    def test_into_an_empty_one_everything_comes_and_gives_the_same_results(self):
        self.unvek("note", "3", "a delivery came")
        self.unvek("void", "2", "--why", "hot")
        self.assertIn("8 runs came into this logbook, 1 remark", self.said("logbook", "--logbook", "both"))
        self.assertEqual(self.everything("both"), self.everything())
        ours, theirs = (self.result("compare", *more) for more in ((), ("--logbook", "both")))
        self.assertEqual(ours["rows"], theirs["rows"])
        for more in (("--forecasts",), ("--sessions",)):
            ours, theirs = (self.result("log", *more, *of) for of in ((), ("--logbook", "both")))
            self.assertEqual(ours, theirs)
        self.unvek("sheet", "--out", "sheet.png", "--logbook", "both")
        self.assertIn("8 runs were here", self.said("logbook", "--logbook", "both"))
        self.assertEqual(self.everything("both"), self.everything())

    def test_another_machines_stands_beside_and_is_not_mixed_in(self):
        self.as_of_another_machine("other")
        before = self.everything()
        self.assertIn("8 runs came into this logbook", self.said("other"))
        self.assertEqual(len(self.everything()), 16)
        self.assertEqual([one for one in self.everything() if one[0] in {run[0] for run in before}], before)
        self.assertIn("--rig", self.unvek("compare", expect=2).stderr)
        there = self.result("compare", "--logbook", "other")["rows"]
        self.assertEqual(
            [row["measures"] for row in self.result("compare", "--rig", "other")["rows"]],
            [row["measures"] for row in there],
        )
        self.unvek("report", "page.html", "--rig", "other")
        self.unvek("import", "page.html", "--logbook", "paged")
        self.assertEqual([row["measures"]["time.total"] for row in self.result("compare", "--logbook", "paged")["rows"]],
                         [row["measures"]["time.total"] for row in there])  # fmt: skip
        rows = self.result("log")["rows"]
        self.assertEqual(sorted({row["round"] for row in rows}), [1, 2, 3, 4])
        self.assertEqual(len(self.result("log", "--sessions")["rows"]), 2)
        self.assertEqual(
            len({row["path"] for run in range(1, 17) for row in self.result("show", str(run))["outputs"]}), 16
        )
        self.assertIn("8 runs were here", self.said("other"))
        self.assertEqual(len(self.everything()), 16)

    def test_a_logbook_that_has_grown_comes_again_with_what_is_new(self):
        self.said("logbook", "--logbook", "both")
        self.write_plan(SLOW, QUICK, task(seeds=(1, 2)), rounds=3, quality=True)
        self.unvek("run")
        self.unvek("measure")
        self.unvek("void", "1", "--why", "hot")
        self.unvek("note", "1", "see there")
        self.assertIn(
            "4 runs came into this logbook, 8 runs were here, 1 run taken out as there, 1 remark",
            self.said("logbook", "--logbook", "both"),
        )
        self.assertEqual(self.everything("both"), self.everything())

    def test_what_differs_under_one_id_is_left_as_here_and_said(self):
        other = self.copy("other")
        self.change(other, "UPDATE runs SET time_s = 99 WHERE number = 4")
        before = self.everything()
        self.assertIn("1 run said something else here under the same id", self.said("other"))
        self.assertEqual(self.everything(), before)

    def test_an_output_that_is_another_does_not_come_and_no_path_leads_out(self):
        other = self.as_of_another_machine("other")
        with Logbook.open(other) as book:
            first, second, third = book.outputs()[:3]
        (other / first.path).write_bytes(b"another")
        (other / second.path).unlink()
        self.write("secret.txt", "secret")
        self.change(
            other, f"UPDATE outputs SET path = '../secret.txt', digest = '{'0' * 64}' WHERE number = {third.number}"
        )
        self.assertIn("3 outputs there had changed or gone", self.said("other"))
        shown = [row for run in range(1, 17) for row in self.result("show", str(run))["outputs"]]
        self.assertEqual(sorted(row["state"] for row in shown), ["as made"] * 13 + ["gone"] * 3)
        self.assertEqual(
            sum(
                b"secret" in path.read_bytes()
                for path in (self.folder / "logbook" / "outputs").rglob("*")
                if path.is_file()
            ),
            0,
        )

    def test_what_fails_on_the_way_leaves_nothing(self):
        self.as_of_another_machine("other")
        before, files = self.everything(), sorted((self.folder / "logbook" / "outputs").rglob("*"))
        with mock.patch.object(merging._Merging, "_bring_notes", side_effect=OSError(28, "No space left on device")):
            self.unvek("merge", "other", expect=2)
        self.assertEqual(self.everything(), before)
        self.assertEqual(sorted((self.folder / "logbook" / "outputs").rglob("*")), files)
        self.assertIn("8 runs came", self.said("other"))

    def test_what_can_not_be_merged_is_told(self):
        self.assertIn("this very logbook", self.unvek("merge", "logbook", expect=2).stderr)
        (self.folder / "empty").mkdir()
        self.assertIn("there is no logbook in", self.unvek("merge", "empty", expect=2).stderr)
        before = self.everything()
        for number, hostile in enumerate((
            "UPDATE runs SET varied = 'no JSON'", "UPDATE runs SET time_s = 'soon'", "UPDATE runs SET time_s = 9e999 WHERE number = 3",
            "UPDATE runs SET form = 'round'", "UPDATE outputs SET bytes = -1", "UPDATE rigs SET facts = '[]'", "UPDATE launches SET about = '7'",
            "UPDATE run_details SET phases_s = '{\"a\": \"b\"}'", "UPDATE runs SET launch = 77 WHERE number = 3", "UPDATE measurements SET value = 'x'",
        )):  # fmt: skip
            with self.subTest(hostile):
                other = self.as_of_another_machine(f"other-{number}")
                self.change(other, hostile)
                self.assertIn("is damaged", " ".join(self.unvek("merge", other.name, expect=2).stderr.split()))
                self.assertEqual(self.everything(), before)


class WithVerdicts(ProjectTest):
    def test_verdicts_come_with_their_judges_ballots_and_remarks_once(self):
        self.write_plan(SLOW, QUICK, task(seeds=(1, 2)), rounds=1, quality=True)
        self.have_runs()
        self.unvek("judge", "ballot", "page.html")
        from unvek.core.judging.looking import Looking

        with Logbook.make_or_open(self.folder / "logbook") as book:
            (ballot,) = book.ballots()
            looking = Looking(book, ballot, "Ina")
            for place, question in enumerate(ballot.questions, 1):
                looking.say(question, place, "left", 1.0, "")
            looking.end()
        self.unvek("judge", "note", "1", "in a hurry")
        self.unvek("judge", "void", "2", "--why", "asleep") if len(ballot.questions) > 1 else None
        shutil.copytree(self.folder / "logbook", self.folder / "other")
        self.said = [" ".join(self.unvek("merge", "other", "--logbook", "both").stderr.split()) for _ in range(2)]
        self.assertIn(f"{len(ballot.questions)} verdict", self.said[0])
        self.assertNotIn("verdict", self.said[1])
        drop = ("ballot",)
        ours, theirs = (
            [
                {key: value for key, value in row.items() if key not in drop}
                for row in self.result("judge", "log", *more)["rows"]
            ]
            for more in ((), ("--logbook", "both"))
        )
        self.assertEqual(ours, theirs)
        self.assertEqual(self.result("judge", "tally"), self.result("judge", "tally", "--logbook", "both"))


if __name__ == "__main__":
    unittest.main()
