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
    def test_times_may_be_written_as_people_write_them(self):
        for written, seconds in (
            ("31", 31),
            ("0:31", 31),
            ("12:03.5", 723.5),
            ("1:02:03", 3723),
            ("1 min 2 s", 62),
            ("200ms", 0.2),
        ):
            with self.subTest(written):
                self.write("other.csv", f"variant,time_s\nslow,{written}\n")
                self.unvek("import", "other.csv", "--here", "--logbook", written.replace(":", "-"))
                (row,) = self.result("log", "--logbook", written.replace(":", "-"))["rows"]
                self.assertAlmostEqual(row["time_s"], seconds)
        for written in ("x:1", "1:2:3:4", "1 min 2", "1 minx", "-0:31", "1 s 2 fortnights"):
            with self.subTest(written):
                self.write("other.csv", f"variant,time_s\nslow,{written}\n")
                self.assertIn("column time_s", self.unvek("import", "other.csv", "--here", expect=2).stderr)

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
        self.assertEqual(swift["measures"]["sweetness"]["typical"], 7.5)
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
        said = self.unvek("import", "few.csv", "--logbook", "few").stderr  # again: the same file changes nothing
        self.assertIn("nothing is changed; this file came in before", said)
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

    def test_what_would_take_all_memory_or_time_or_can_not_be_is_refused(self):
        header = "variant,time_s," + ",".join(f"measure:m{number}" for number in range(60_000))
        self.write("wide.csv", header + "\n" + "a,1" + ",1" * 60_000 + "\n")
        self.assertIn("60000 measures", self.unvek("import", "wide.csv", expect=2).stderr)
        rows = "".join(f'{{"variant": "a", "time_s": 1, "measure:m{number}": 1}}\n' for number in range(1100))
        self.write("long.jsonl", rows)
        self.assertIn("1001 measures", self.unvek("import", "long.jsonl", expect=2).stderr)
        odd = ('"form": ["full"]', '"task": "\\ud800"', '"time_s": 1e308', '"time_s": 1e-320', '"measure:x": -1e308',
               '"measure:memory.peak": 1e300', '"measure:time.load": -1', '"varied": {"a": "\\ud800"}', '"seed": 1e400',
               '"varied": {"a": 1%s}' % ("0" * 400), '"varied": {"wording": "formal"}', '"varied": {"wording": 1.5}')  # fmt: skip
        for cell in odd:
            with self.subTest(cell):
                self.write("odd.jsonl", f'{{"variant": "a", "time_s": 1}}\n{{"variant": "b", "time_s": 1, {cell}}}\n'.replace(
                    '"time_s": 1, "time_s"', '"time_s"'))  # fmt: skip
                self.assertIn("line 2, column", self.unvek("import", "odd.jsonl", expect=2).stderr)
        self.assertFalse((self.folder / "logbook" / "runs.sqlite").exists() and self.log())

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


class SeveralFiles(ProjectTest):
    """A second file comes beside the first; a run that is told again is the same run."""

    def rows(self, logbook: str = "logbook") -> list[tuple]:
        return [
            (row["variant"], row["round"], row["time_s"])
            for row in self.result("log", "--logbook", logbook)["rows"]
            if row["voided"] is None
        ]

    def test_rounds_of_a_second_file_come_after_the_firsts(self):
        self.write("monday.csv", "variant,time_s\na,1.0\na,1.1\nb,2.0\n")
        self.write("tuesday.csv", "variant,time_s,round\na,1.2,1\nb,2.2,1\na,1.3,2\nb,2.3,2\n")
        self.unvek("import", "monday.csv")
        self.unvek("import", "tuesday.csv")
        self.assertEqual(
            self.rows(),
            [("a", 1, 1.0), ("a", 2, 1.1), ("b", 1, 2.0), ("a", 3, 1.2), ("b", 3, 2.2), ("a", 4, 1.3), ("b", 4, 2.3)],
        )
        self.assertEqual([row["rounds"] for row in self.result("compare")["rows"]], [4, 3])
        sessions = self.result("log", "--sessions")["rows"]
        self.assertEqual([(row["made_by"], row["runs"]) for row in sessions], [("import", 3), ("import", 4)])
        self.assertEqual(len({row["session"] for row in sessions}), 2)

    def test_a_file_a_variant_pairs_round_by_round(self):
        self.write("a.csv", "variant,time_s\n" + "".join(f"a,{1 + n / 100}\n" for n in range(5)))
        self.write("b.csv", "variant,time_s\n" + "".join(f"b,{2 + n / 50}\n" for n in range(5)))
        self.unvek("import", "a.csv", "b.csv")
        ratio = self.result("compare")["rows"][1]["measures"]["time.total"]
        self.assertEqual((ratio["answer"], round(ratio["ratio"]["value"], 3)), ("slower", 2.0))

    def test_a_run_of_a_session_is_told_anew_by_where_it_stands_and_said_to_be_replaced(self):
        header = "variant,task,seed,round,repeat,time_s\n"
        self.write("v1.csv", header + "a,card,1,1,1,1.0\na,card,1,2,1,1.1\nb,card,1,1,1,2.0\n")
        self.write("v2.csv", header + "a,card,1,1,1,1.0\na,card,1,2,1,1.5\nb,card,1,1,1,2.0\na,card,1,3,1,1.2\n")
        self.assertIn("3 runs of a, b. Session monday", self.unvek("import", "v1.csv", "--name", "monday").stderr)
        said = self.unvek("import", "v2.csv", "--name", "monday").stderr
        self.assertIn(
            "1 run of a, b; 1 run replaced, which the file tells otherwise (the earlier are voided); 2 runs were here already",
            said,
        )
        self.assertEqual(self.rows(), [("a", 1, 1.0), ("b", 1, 2.0), ("a", 2, 1.5), ("a", 3, 1.2)])
        (voided,) = (row for row in self.result("log")["rows"] if row["voided"])
        self.assertEqual((voided["time_s"], voided["voided"]), (1.1, "replaced by the import of v2.csv"))
        self.assertIn("4 runs were here already", self.unvek("import", "v2.csv", "--name", "monday").stderr)
        self.unvek("import", "v2.csv", "--name", "tuesday")
        self.assertEqual([row["runs"] for row in self.result("compare")["rows"]], [6, 2], "another session, other runs")

    def test_without_a_session_each_row_is_a_new_run_and_ones_that_look_alike_are_told(self):
        self.write("v1.csv", "variant,time_s\na,1.0\na,1.1\n")
        self.write("v2.csv", "variant,time_s\na,1.0\na,1.1\na,1.2\n")
        self.unvek("import", "v1.csv")
        said = self.unvek("import", "v2.csv").stderr
        self.assertIn("3 runs of a", said)
        self.assertIn("2 runs of these told the very time of an item that one here told before", said)

    def test_a_session_whose_name_is_taken_gets_a_number(self):
        plan = self.write_plan(SLOW, task(seeds=(1,)))
        self.unvek("run", "--name", "quiet")
        plan.write_text(plan.read_text().replace("rounds = 1", "rounds = 2"))
        self.unvek("run", "--name", "quiet")
        self.assertEqual([row["session"] for row in self.log()], ["quiet", "quiet-2"])
        self.assertEqual([row["session"] for row in self.result("log", "--session", "*-2")["rows"]], ["quiet-2"])
        self.assertIn("is no name; wanted", self.unvek("run", "--name", "a/b", expect=2).stderr)
        sessions = self.result("log", "--sessions")["rows"]
        self.assertTrue(all(row["ended"] and row["machine"] for row in sessions), sessions)
        self.assertIn("quiet-2", self.unvek("show", "2").stdout)

    def test_imported_runs_stand_beside_a_plans_wherever_its_tasks_and_prompts_are_asked_for(self):
        self.write_plan(SLOW, QUICK, task(seeds=(1,)), rounds=2, quality=True)
        self.unvek("run")
        self.write(
            "other.csv",
            "variant,task,seed,time_s,measure:likeness\nother,rose,7,0.5,0.25\nslow,rose,7,0.5,0.5\nother,rose,7,0.6,0.25\n",
        )
        self.unvek("import", "other.csv", "--here")
        for command in (
            ("sheet",),
            ("compare",),
            ("tradeoff",),
            ("audit",),
            ("measure",),
            ("curve", "step_s"),
            ("log",),
            ("export",),
        ):
            with self.subTest(command):
                self.assertNotIn("went wrong", self.unvek(*command).stderr)
        rows = {row["variant"]: row["measures"]["likeness"] for row in self.result("compare")["rows"]}
        self.assertIsNone(rows["other"]["typical"], "how that was measured is not known: it is not the plan's likeness")
        told = self.result("compare", "--measure", "imported.likeness")["rows"]
        self.assertEqual([row["measures"]["imported.likeness"]["typical"] for row in told], [0.5, None, 0.25])
        self.assertIn("brought in without its outputs", self.unvek("measure").stdout)


class RoundTrip(ProjectTest):
    def test_what_is_exported_comes_back_in_all_three_formats(self):
        plan = self.write_plan(SLOW, QUICK, task(), rounds=2, warmups=1, quality=True)
        plan.write_text(plan.read_text() + "\n[vary]\nsteps = [2, 4]\n")
        self.unvek("run", "plan.toml")
        self.unvek("void", "5", "--why", "=a delivery")
        plan.write_text(plan.read_text().replace("step_s = 0.002", "step_s = 0.003"))
        self.unvek("run", "plan.toml", "--name", "again")  # what came of the quick one before counts no more
        there = self.result("compare")
        first = None
        for name in ("runs.csv", "runs.jsonl", "runs.parquet"):
            with self.subTest(name):
                self.unvek("export", name)
                self.assertIn("were here already", self.unvek("import", name).stderr)
                self.unvek("import", name, "--logbook", name + "-logbook")
                back = self.result("compare", "--logbook", name + "-logbook")
                self.assertEqual(back["rig"], there["rig"])
                for ours, theirs in zip(back["rows"], there["rows"], strict=True):
                    self.assertEqual(ours["measures"], theirs["measures"])
                    self.assertEqual(ours["first_run_s"], theirs["first_run_s"])
                log = self.result("log", "--logbook", name + "-logbook")["rows"]
                came, went = ([{key: value for key, value in row.items() if key not in ("run", "launch", "source", "noted")}
                               for row in rows] for rows in (log, self.log()))  # fmt: skip
                self.assertEqual(came, went, "ids, sessions, moments and all")
                self.assertEqual(
                    {row["session"] for row in log} - {"again"},
                    {there_["session"] for there_ in self.log()} - {"again"},
                )
                self.assertIn("were here already", self.unvek("import", name, "--logbook", name + "-logbook").stderr)
                self.assertEqual(len(self.result("log", "--logbook", name + "-logbook")["rows"]), len(log))
                self.unvek("export", "again.csv", "--logbook", name + "-logbook")
                first = first or (self.folder / "again.csv").read_bytes()
                self.assertEqual((self.folder / "again.csv").read_bytes(), first)

    def write_rows(self, name: str, rows: list[dict[str, str]]) -> None:
        with open(self.folder / name, "w", newline="") as file:
            writer = csv.DictWriter(file, rows[0])
            writer.writeheader()
            writer.writerows(rows)

    def test_an_edited_export_replaces_what_it_tells_otherwise(self):
        self.write_plan(SLOW, task(seeds=(1,)), rounds=2)
        self.unvek("run")
        self.unvek("export", "runs.csv")
        rows = list(csv.DictReader(io.StringIO((self.folder / "runs.csv").read_text())))
        self.assertIn("2 runs were here already", self.unvek("import", "runs.csv").stderr)
        rows[0]["time_s"] = "9.5"
        self.write_rows("edited.csv", rows)
        said = self.unvek("import", "edited.csv").stderr
        self.assertIn(
            "1 run replaced, which the file tells otherwise (the earlier are voided); 1 run was here already", said
        )
        kept = {row["run"]: (row["time_s"], row["voided"], row["source"]) for row in self.log()}
        self.assertEqual(kept[1][1:], ("replaced by the import of edited.csv", "measured"))
        self.assertEqual(kept[3], (9.5, None, "imported"))
        self.write_rows("loaded.csv", [{**row, "measure:time.load": "4.5"} for row in rows])
        self.assertIn("2 runs replaced", self.unvek("import", "loaded.csv").stderr, "of a launch, and told by its runs")

    def test_what_a_file_says_of_measures_is_checked(self):
        row = {"variant": "a", "time_s": 1, "id": "01a214b9-7f9c-7657-a853-cf034c4f45e1"}
        for column, value in (
            ("id", "1"), ("definition:x", "ssim"), ("definition:x", {"kind": 3}), ("definition:x", {"kind": "ssim", "better": "most"}),
            ("origin:x", "dreamt"), ("against:x", "7"), ("besides:x", {"7": 1}), ("machine_facts", {"cores": "two"}), ("started", "noon"),
            ("session", "a/b"), ("of_plan", "perhaps"), ("measure:", 1), ("why:x", 3), ("launch_id", True),
        ):  # fmt: skip
            with self.subTest(column=column, value=value):
                self.write("bad.jsonl", json.dumps({**row, column: value}) + "\n")
                self.assertIn(f"column {column}", self.unvek("import", "bad.jsonl", expect=2).stderr)
        self.write("twice.jsonl", (json.dumps(row) + "\n") * 2)
        self.assertIn("line 1 has this one", self.unvek("import", "twice.jsonl", expect=2).stderr)

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
