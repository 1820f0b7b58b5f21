"""Years of runs as files by machine and day: everything is there, in its place, and comes back as it went out."""

import json
import shutil
import unittest
from unittest import mock

import pyarrow.dataset
import pyarrow.parquet

from tests.support import QUICK, SLOW, ProjectTest, task
from unvek.core.exchange import dataset
from unvek.core.exchange.columns import sort_of

FACTS = {"processor": "p", "cores": 4, "memory_bytes": 2**33, "system": "s", "kernel": "k"}


class Dataset(ProjectTest):
    def brought(self, *rows: tuple[str, str], logbook: str = "logbook") -> None:
        """Have runs of these machines and days, each machine with its facts in its first row only."""
        told = set()
        lines = []
        for number, (machine, day) in enumerate(rows, 1):
            row = {
                "variant": "ab"[number % 2],
                "time_s": 1 + number / 64,
                "round": number,
                "machine": machine,
                "started": f"{day}T08:00:00.000+00:00",
            }
            if machine not in told:
                told.add(machine)
                row["machine_facts"] = FACTS
            lines.append(json.dumps(row))
        self.write("rows.jsonl", "\n".join(lines))
        self.unvek("import", "rows.jsonl", "--logbook", logbook, "--name", "many")

    def test_each_machine_and_day_has_its_files_and_each_can_be_read_alone(self):
        days = [
            ("rig-1", "2026-11-25"),
            ("rig-2", "2026-11-25"),
            ("rig-1", "2026-11-26"),
            ("rig-1", "2024-02-29"),
            ("rig-2", "2026-11-25"),
        ]
        self.brought(*days)
        self.assertIn("5 runs in 4 files", self.unvek("export", "--dataset", "years").stderr)
        found = sorted(
            str(path.relative_to(self.folder / "years")) for path in (self.folder / "years").rglob("*.parquet")
        )
        self.assertEqual(found, [f"rig={rig}/day={day}/runs-0.parquet" for rig, day in sorted(set(days))])
        table = pyarrow.dataset.dataset(self.folder / "years", partitioning="hive").to_table()
        self.assertEqual(sorted(table.column("time_s").to_pylist()), [1 + n / 64 for n in range(1, 6)])
        self.assertEqual(table.column("rig").to_pylist(), table.column("machine").to_pylist())
        for path in found:
            first = pyarrow.parquet.read_table(self.folder / "years" / path, partitioning=None).to_pylist()[0]
            self.assertEqual(json.loads(first["machine_facts"]), FACTS, path)
            self.unvek("import", f"years/{path}", "--logbook", path.replace("/", "-"))

    def test_what_comes_back_is_what_went_out_and_nothing_comes_twice(self):
        self.write_plan(SLOW, QUICK, task(seeds=(1, 2)), rounds=3, quality=True)
        self.have_runs()
        self.unvek("void", "2", "--why", "a delivery came")
        self.unvek("measure")
        self.unvek("export", "--dataset", "years")
        self.unvek("import", "years", "--logbook", "back")
        self.assertIn("were here already", self.unvek("import", "years", "--logbook", "back").stderr)
        ours, theirs = (self.result("log", *more)["rows"] for more in ((), ("--logbook", "back")))
        self.assertEqual([(row["run"], row["variant"], row["time_s"], row["voided"]) for row in ours],
                         [(row["run"], row["variant"], row["time_s"], row["voided"]) for row in theirs])  # fmt: skip
        ours, theirs = (
            {row["variant"]: row["measures"]["time.total"] for row in self.result("compare", *more)["rows"]}
            for more in ((), ("--logbook", "back"))
        )
        self.assertEqual(ours, theirs)
        self.unvek("export", "again.jsonl", "--logbook", "back")
        self.unvek("export", "first.jsonl")
        first, again = (
            [json.loads(line) for line in (self.folder / name).read_text().splitlines()]
            for name in ("first.jsonl", "again.jsonl")
        )
        self.assertEqual([one["id"] for one in first], [one["id"] for one in again])

    def test_however_many_days_come_mixed_few_files_are_open(self):
        days = [(f"rig-{n % 3}", f"2026-11-{1 + n % 5:02}") for n in range(45)]
        self.brought(*days)
        with mock.patch.object(dataset, "MOST_OPEN", 2):
            self.unvek("export", "--dataset", "years")
        table = pyarrow.dataset.dataset(self.folder / "years", partitioning="hive").to_table()
        self.assertEqual(sorted(table.column("round").to_pylist()), list(range(1, 46)))
        self.assertEqual(len(list((self.folder / "years").rglob("*.parquet"))), 45)
        self.unvek("import", "years", "--logbook", "back")
        self.assertEqual(len(self.result("log", "--logbook", "back")["rows"]), 45)

    def test_no_name_of_a_machine_leads_out_of_the_folder(self):
        names = ["../../../out", "..", "a/b", "rig=x/day=y", "\u202ered", "x" * 150]
        self.brought(*((name, "2026-11-25") for name in names))
        self.unvek("export", "--dataset", "years/of/runs")
        within = self.folder / "years" / "of" / "runs"
        self.assertEqual(len(list(within.glob("rig=*/day=2026-11-25/runs-0.parquet"))), len(names))
        self.assertEqual(
            {path.name for path in self.folder.iterdir()} - {"years"}, {"rows.jsonl", "logbook", *self.before()}
        )

    def before(self) -> set[str]:
        return {path.name for path in self.folder.iterdir() if path.suffix in (".py", ".toml", ".bin")}

    def test_what_is_there_is_never_written_over_and_half_of_it_is_never_left(self):
        self.brought(("rig-1", "2026-11-25"), ("rig-1", "2026-11-26"))
        (self.folder / "mine").mkdir()
        self.write("mine/notes.txt", "mine")
        self.assertIn("there is something in mine already", self.unvek("export", "--dataset", "mine", expect=2).stderr)
        self.assertEqual((self.folder / "mine" / "notes.txt").read_text(), "mine")
        self.unvek("export", "some.csv", "--dataset", "years", expect=2)
        rows = iter([{"machine": "a", "started": "2026-01-01"}])

        def breaks():
            yield from rows
            raise OSError(28, "No space left on device")

        with self.assertRaises(OSError):
            dataset.write_dataset(
                breaks(), ["machine", "started"], self.folder / "years", dict.fromkeys(["machine", "started"], str)
            )
        self.assertEqual([path.name for path in self.folder.glob("years*")], [])
        (self.folder / "empty").mkdir()
        self.unvek("export", "--dataset", "empty")
        self.assertEqual(len(list((self.folder / "empty").rglob("*.parquet"))), 2)

    def test_a_file_that_can_not_be_used_is_named_and_nothing_comes_in(self):
        self.brought(("rig-1", "2026-11-25"), ("rig-1", "2026-11-26"))
        self.unvek("export", "--dataset", "years")
        bad = self.folder / "years" / "rig=rig-1" / "day=2026-11-26" / "runs-0.parquet"
        whole = bad.read_bytes()
        table = pyarrow.parquet.read_table(bad, partitioning=None)
        place = table.schema.get_field_index("time_s")
        pyarrow.parquet.write_table(table.set_column(place, "time_s", pyarrow.array([-1.0])), bad)
        said = self.unvek("import", "years", "--logbook", "back", expect=2).stderr
        self.assertIn("day=2026-11-26/runs-0.parquet, line 2", said)
        self.assertFalse(list(self.result("log", "--sessions", "--logbook", "back")["rows"]))
        for damaged in (whole[: len(whole) // 2], b"", b"PAR1" * 9):
            bad.write_bytes(damaged)
            self.unvek("import", "years", "--logbook", "back", expect=2)
        bad.unlink()
        bad.symlink_to("/etc/passwd")
        self.unvek("import", "years", "--logbook", "back")
        self.assertEqual(len(self.result("log", "--logbook", "back")["rows"]), 1)
        shutil.rmtree(self.folder / "years")
        (self.folder / "years").mkdir()
        self.assertIn("no Parquet file", self.unvek("import", "years", "--logbook", "back", expect=2).stderr)

    def test_columns_have_one_sort_whatever_a_file_holds(self):
        sorts = {
            "time_s": float,
            "seed": int,
            "warm_up": bool,
            "run": int,
            "measure:x": float,
            "variant": str,
            "varied": str,
            "of_plan": bool,
            "machine_facts": str,
        }
        self.assertEqual({name: sort_of(name) for name in sorts}, sorts)
        self.brought(("rig-1", "2026-11-25"), ("rig-1", "2026-11-26"))
        self.unvek("export", "--dataset", "years")
        schemas = {str(pyarrow.parquet.read_schema(path)) for path in (self.folder / "years").rglob("*.parquet")}
        self.assertEqual(len(schemas), 1)


if __name__ == "__main__":
    unittest.main()
