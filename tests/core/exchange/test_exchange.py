"""Runs in and out: three formats say the same, timings go through the same statistics, nothing is half imported."""

import csv
import io
import json
import random
import unittest
from pathlib import Path
from unittest.mock import patch

import pyarrow
import pyarrow.parquet

from tests.support import QUICK, SLOW, ProjectTest, task
from unvek.core.exchange import importing
from unvek.core.logbook.store import Logbook

HEADER = "variant,task,seed,round,repeat,warm_up,status,time_s,steps\n"


def timings(rounds: int = 4) -> str:
    rng = random.Random(3)
    rows = [HEADER.strip() + ",form,measure:memory.peak,measure:sweetness"]
    for round_number in range(1, rounds + 1):
        for name, form, level in (("full", "full", 1.0), ("swift", "distilled", 0.5)):
            rows.append(f"{name},card,1,{round_number},1,true,finished,{3 * level},4,{form},,")
            for repeat in (1, 2):
                time_s = level * rng.uniform(0.99, 1.01)
                rows.append(f"{name},card,1,{round_number},{repeat},false,finished,{time_s},4,{form},{1e6 * level},7.5")
    return "\r\n".join(rows) + "\r\n"


class Importing(ProjectTest):
    def test_timings_from_elsewhere_go_through_the_same_statistics(self):
        self.write("runs.csv", timings())
        done = self.unvek("import", "runs.csv")
        self.assertIn("24 runs of full, swift", done.stderr)
        found = self.result("compare", "--measure", "sweetness")
        swift = found["rows"][1]
        time = swift["measures"]["time.total"]
        self.assertEqual((swift["form"], swift["runs"], swift["rounds"], time["answer"]), ("distilled", 8, 4, "faster"))
        self.assertTrue(0.48 < time["ratio"]["low"] < 0.5 < time["ratio"]["high"] < 0.52, time)
        self.assertAlmostEqual(swift["measures"]["memory.peak"]["ratio"]["value"], 0.5)
        self.assertEqual(swift["measures"]["sweetness"]["median"], 7.5)
        self.assertEqual(swift["first_run_s"], 1.5)
        self.assertEqual({row["source"] for row in self.log()}, {"imported"})
        text = self.unvek("compare").stdout
        self.assertIn("Imported, not measured here: full, swift.", text)
        self.assertIn("a machine that is not known", text)
        self.assertIn("imported", self.unvek("show", "2").stdout)
        self.assertEqual([one["code"] for one in self.result("audit")["findings"]], ["imported"])

    def test_variant_and_seconds_are_enough(self):
        self.write("few.csv", "variant,time_s\nb,1.0\nb,1.1\nb,1.05\na,2.0\na,2.1\na,2.2\n")
        self.unvek("import", "few.csv", "--reference", "a", "--logbook", "few")
        found = self.result("compare", "--logbook", "few")
        self.assertEqual((found["reference"], [row["rounds"] for row in found["rows"]]), ("a", [3, 3]))
        self.assertEqual(found["rows"][0]["measures"]["time.total"]["answer"], "faster")
        self.unvek("import", "few.csv", "--logbook", "few")  # again: the same runs, counted once
        self.assertEqual([row["runs"] for row in self.result("compare", "--logbook", "few")["rows"]], [3, 3])

    def test_imported_runs_stand_beside_a_plans_and_stay_when_it_runs_again(self):
        self.write_plan(SLOW, QUICK, task(seeds=(1,)), rounds=3, warmups=1)
        self.unvek("run", "plan.toml")
        self.write("other.csv", "variant,task,seed,time_s\n" + "other,violet,1,500\n" * 3)
        self.unvek("import", "other.csv")
        self.assertIn("2 rigs", self.unvek("compare", expect=2).stderr)
        row = self.result("compare", "--across-rigs")["rows"][2]
        self.assertEqual((row["variant"], row["measures"]["time.total"]["answer"]), ("other", "slower"))
        codes = {one["code"]: one["severity"] for one in self.result("audit")["findings"]}
        self.assertEqual((codes["imported"], codes["rigs-differ"]), ("doubt", "unfair"))
        self.unvek("import", "other.csv", "--here", "--logbook", "here")
        self.assertNotIn("not known", self.unvek("compare", "--logbook", "here").stdout)
        self.write_plan(SLOW, QUICK, task(seeds=(1,)), rounds=4, warmups=1)
        self.unvek("run", "plan.toml")
        self.assertEqual(len(self.result("compare", "--across-rigs")["rows"]), 3)

    def test_a_bad_row_is_named_by_line_and_column_and_nothing_is_imported(self):
        for rows, said in (
            ("full,0.5\nfull,fast\n", "line 3, column time_s: found 'fast'; wanted a number"),
            ("full,0.5\n,0.5\n", "line 3, column variant: found 'nothing'"),
            ("full,-1\n", "line 2, column time_s: found '-1'; wanted seconds, 0 or more"),
            ("full,nan\n", "line 2, column time_s"),
            ("=cmd(),1\n", "line 2, column variant"),
            ("full,\n", "line 2, column time_s: found 'nothing'"),
            ("full,1,2\n", "line 2: 3 cells, where the header has 2"),
            ('full,"1\n', "line 2: no CSV"),
        ):
            with self.subTest(rows):
                self.write("bad.csv", "variant,time_s\n" + rows)
                self.assertIn(said, self.unvek("import", "bad.csv", expect=2).stderr)
                self.assertIn("there are no runs", self.unvek("compare", expect=2).stderr)
        for header, said in (
            ("variant,time\n", "line 1, column time_s: found 'no such column'"),
            ("variant,time_s,sed\n", "column sed: found 'an unknown column'"),
            ("variant,time_s,time_s\n", "column time_s: found 'the column twice'"),
        ):
            self.write("bad.csv", header + "full,1,1\n")
            self.assertIn(said, self.unvek("import", "bad.csv", expect=2).stderr)

    def test_a_long_file_says_how_far_it_is(self):
        few, told = self.write("few.csv", "variant,time_s\n" + "full,1\n" * 5), []
        with Logbook.make_or_open(self.folder / "few") as logbook, patch.object(importing, "TOLD_EVERY", 2):
            importing.import_timings(logbook, few, tell=told.append)
        self.assertEqual(told, ["few.csv: 2 runs read...", "few.csv: 4 runs read..."])

    def test_every_column_is_checked(self):
        for column, value in (
            ("seed", "1.5"), ("round", "0"), ("repeat", "x"), ("warm_up", "maybe"), ("status", "fine"), ("steps", "-1"),
            ("form", "large"), ("varied", "[1]"), ("source", "dreamt"), ("measure:memory.peak", "much"), ("task", " "),
        ):  # fmt: skip
            with self.subTest(column):
                self.write("bad.csv", f"variant,time_s,{column}\nfull,1,{value}\n")
                self.assertIn(f"line 2, column {column}", self.unvek("import", "bad.csv", expect=2).stderr)
        self.write("twice.csv", "variant,time_s,round,repeat\nfull,1,1,1\nfull,2,1,1\n")
        self.assertIn("line 2 has this one", self.unvek("import", "twice.csv", expect=2).stderr)
        self.assertIn("no variant 'best'", self.unvek("import", str(self.write("a.csv", "variant,time_s\nfull,1\n")),
                                                      "--reference", "best", expect=2).stderr)  # fmt: skip

    def test_hostile_files_are_refused(self):
        for name, content in (
            ("a.csv", b""), ("b.csv", b"\xff\xfe\x00"), ("c.jsonl", b"[1, 2]\n"), ("d.jsonl", b"[" * 200_000),
            ("e.parquet", b"PAR1" + bytes(100)), ("f.csv", b"variant,time_s\n" + b"x" * 2**21), ("g.txt", b"variant"),
            ("h.jsonl", b'{"variant": {"a": 1}, "time_s": true}'), ("i.csv", b"variant,time_s\nfull,\x00\n"),
        ):  # fmt: skip
            with self.subTest(name):
                (self.folder / name).write_bytes(content)
                self.assertIn(name, self.unvek("import", name, expect=2).stderr)


class RoundTrip(ProjectTest):
    def test_what_is_exported_comes_back_in_all_three_formats(self):
        plan = self.write_plan(SLOW, QUICK, task(), rounds=2, warmups=1)
        plan.write_text(plan.read_text() + "\n[vary]\nsteps = [2, 4]\n")
        self.unvek("run", "plan.toml")
        self.unvek("void", "5", "--why", "=a delivery")
        there = self.result("compare")
        for name in ("runs.csv", "runs.jsonl", "runs.parquet"):
            with self.subTest(name):
                self.unvek("export", name)
                self.unvek("import", name, "--logbook", name + "-logbook", "--here")
                back = self.result("compare", "--logbook", name + "-logbook")
                for ours, theirs in zip(back["rows"], there["rows"], strict=True):
                    for measure in ("time.total", "step.time", "memory.peak"):
                        self.assertEqual(ours["measures"][measure], theirs["measures"][measure])
                log = self.result("log", "--logbook", name + "-logbook")["rows"]
                self.assertEqual([row["voided"] for row in log if row["voided"]], ["=a delivery"])
                self.assertEqual(len(log), len(self.log()))
                self.assertEqual({row["varied"]["steps"] for row in log}, {2, 4})

    def test_the_table_has_the_promised_columns(self):
        self.write_plan(SLOW, QUICK, task(seeds=(1,)), rounds=1)
        self.unvek("run", "plan.toml")
        rows = list(csv.DictReader(io.StringIO(self.unvek("export").stdout)))
        self.assertLessEqual(set(HEADER.strip().split(",")), set(rows[0]))
        self.assertEqual(rows[0]["measure:warmth"], "1.0")
        self.unvek("export", "runs.jsonl")
        first = json.loads((self.folder / "runs.jsonl").read_text().splitlines()[0])
        self.assertEqual((first["variant"], first["warm_up"], first["steps"]), ("slow", False, 3))
        self.unvek("export", "runs.parquet")
        table = pyarrow.parquet.read_table(self.folder / "runs.parquet")
        self.assertEqual(table.schema.field("time_s").type, pyarrow.float64())
        self.assertEqual(table.num_rows, 2)
        self.assertIn("ends in none of", self.unvek("export", "runs.txt", expect=2).stderr)
        self.assertIn("nowhere", self.unvek("export", "nowhere/runs.csv", expect=2).stderr)
        self.assertEqual(list(Path(self.folder).glob("*.part")), [])


if __name__ == "__main__":
    unittest.main()
