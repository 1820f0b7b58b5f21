"""An older logbook is brought up to date and loses nothing: a copy is made, ids are given, values get what they are."""

import json
import sqlite3
import unittest
from hashlib import sha256
from pathlib import Path

from tests.support import SLOW, ProjectTest, task
from unvek.core.ids import is_id
from unvek.core.logbook.store import Logbook
from unvek.core.logbook.tables import metadata
from unvek.core.logbook.upgrades.chain import FORMAT_VERSION, STEPS
from unvek.core.measures.kinds import KINDS

HERE = Path(__file__).parent
VERSION_1, VERSION_3 = HERE / "version-1.sql", HERE / "version-3.sql"
# A run that the engine of a version 3 was killed in, as its journal has it.
CUT_OFF = [
    {"entry": "run", "at_ns": 10, "launch": 5, "place": 3, "cell": "c", "variant": "full", "form": "full", "task": "violet",
     "seed": 0, "settings": {"steps": 2}, "varied": {}, "round": 2, "repeat": 1, "warm_up": False, "steps": 2, "prompt": "a violet",
     "started_at": "2026-11-25T22:46:35.831+00:00", "source": "measured", "trial": False, "memory_limit_bytes": None,
     "forecast_s": None, "left_s": None},
    {"event": "began", "at_ns": 1000}, {"event": "step", "at_ns": 2_000_000},
]  # fmt: skip


def painted(shade: int) -> bytes:
    """The picture of twelve by twelve that the model of the old logbook made."""
    rows = bytes((x * 7 + y * 3 + shade * (x % 5)) % 256 for y in range(12) for x in range(36))
    return b"P6 12 12 255\n" + rows


class OldLogbook(ProjectTest):
    def lay(self, dump: Path, name: str = "logbook") -> Path:
        folder = self.folder / name
        folder.mkdir()
        connection = sqlite3.connect(folder / "runs.sqlite")
        connection.executescript(dump.read_text())
        outputs = dict(connection.execute("select path, digest from outputs"))
        connection.close()
        pictures = {sha256(picture).hexdigest(): picture for picture in map(painted, range(8))}
        for path, digest in outputs.items() if dump == VERSION_3 else ():
            (folder / path).parent.mkdir(parents=True, exist_ok=True)
            (folder / path).write_bytes(pictures[digest])
        return folder


class Version1(OldLogbook):
    def test_an_older_logbook_is_copied_and_brought_up_to_date_with_all_its_runs(self):
        folder = self.lay(VERSION_1)
        before = (folder / "runs.sqlite").read_bytes()
        rows = self.log()
        self.assertEqual([(row["variant"], row["status"], row["steps"]) for row in rows],
                         [("slow", "finished", 3), ("slow", "finished", 3)])  # fmt: skip
        self.assertEqual(self.result("show", "1")["machine"]["memory_peak_bytes"], 11_000_000)
        self.unvek("note", "1", "an old one")
        self.unvek("compare", "--reference", "slow")
        connection = sqlite3.connect(folder / "runs-version-1.sqlite")
        self.assertEqual(connection.execute("select value from about").fetchone(), ("1",))
        self.assertEqual(connection.execute("select count(*) from runs").fetchone(), (2,))
        connection.close()
        self.assertNotEqual((folder / "runs.sqlite").read_bytes(), before)

    def test_the_steps_lead_to_the_same_tables_as_a_new_logbook_has(self):
        self.assertEqual(sorted(STEPS), list(range(1, FORMAT_VERSION)))
        connection = sqlite3.connect(":memory:")
        connection.executescript(VERSION_1.read_text())
        for number in sorted(STEPS):
            for step in STEPS[number]:
                connection.execute(step) if isinstance(step, str) else step(connection)
        for table in metadata.sorted_tables:
            found = {row[1]: row[3] for row in connection.execute(f"pragma table_info({table.name})")}
            wanted = {column.name: int(not column.nullable) for column in table.columns}
            self.assertEqual(found, wanted, table.name)
            indexes = {row[1] for row in connection.execute(f"pragma index_list({table.name})") if row[3] == "c"}
            self.assertEqual(indexes, {index.name for index in table.indexes}, table.name)
        connection.close()


class Version3(OldLogbook):
    """Eight runs of two variants, made under one plan and looked at under it; then, under another plan, `likeness` became
    another kind and the task rose wanted something else. The model told numbers under names of the plan's and of Unvek's."""

    def setUp(self) -> None:
        super().setUp()
        self.path = self.lay(VERSION_3)

    def test_everything_is_still_there(self):
        self.assertEqual([(row["run"], row["variant"], row["voided"], row["noted"]) for row in self.log()],
                         [(run, variant, "a delivery" if run == 3 else None, run == 2) for run, variant in
                          ((1, "full"), (2, "full"), (3, "quick"), (4, "quick"), (5, "quick"), (6, "quick"), (7, "full"), (8, "full"),
                           (10, "other"), (11, "other"))])  # fmt: skip
        self.assertEqual(len(self.result("log", "--tries")["rows"]), 1)
        run = self.result("show", "2")
        self.assertEqual(
            (run["notes"][0]["text"], len(run["piece_times_s"]), run["text"]),
            ("the till was busy", 3, "Half shade, in loam."),
        )
        plan = Logbook.open(self.path).newest_plan()
        self.assertEqual([(task.name, task.wanted, task.expect, dict(task.facts)) for task in plan.plan.tasks],
                         [("violet", ("half shade", "loam"), ("violet petals",), {"items": 2}), ("rose", ("clay",), (), {})])  # fmt: skip
        self.assertEqual((plan.plan.schedule.rounds, dict(plan.plan.variants[0].settings)), (2, {"steps": 2}))

    def test_values_have_the_definition_of_the_plan_that_they_were_worked_out_under_or_are_worked_out_anew(self):
        with Logbook.open(self.path) as logbook:
            kept = {
                (row.name, row.origin, row.content.kind, row.content.wanted) for row in logbook.definitions().values()
            }
            self.assertIn(("kept", "worked-out", "psnr", ()), kept)  # of one kind in both plans
            self.assertIn(
                ("holds", "worked-out", "holds", ("half shade", "loam")), kept
            )  # what was wanted of violet stayed
            for row in logbook.definitions().values():
                if row.origin == "worked-out":
                    self.assertEqual(row.content, KINDS[row.content.kind].definition({}, row.content.wanted), row.name)
            self.assertFalse(
                {one for one in kept if one[:2] == ("likeness", "worked-out")}, "by which kind is not known"
            )
            self.assertFalse({one for one in kept if one[0] == "holds" and "clay" in one[3]}, "nor for which text")
        found = self.result("measure")
        self.assertEqual(
            {row["name"]: row["value_count"] for row in found["rows"]},
            dict.fromkeys(("likeness", "kept", "holds", "facts"), 7),
        )
        run = self.result("show", "6")
        self.assertEqual(run["measures"]["likeness"], run["measures"]["kept"], "by the kind of today")
        self.assertEqual(
            (run["measures"]["holds"], run["measures"]["facts"]), (1.0, 1.0), "rose wants clay now, and has it"
        )

    def test_what_a_model_told_takes_no_name_any_more(self):
        measures = self.result("show", "5")["measures"]
        told = {
            name: measures[name]
            for name in ("told.likeness", "told.facts", "told.time.total", "warmth", "count.calls", "input.tokens")
        }
        self.assertEqual(told, {"told.likeness": 42, "told.facts": 0.25, "told.time.total": -5, "warmth": 3, "count.calls": 1,
                                "input.tokens": 7})  # fmt: skip
        self.assertAlmostEqual(measures["rate.tokens"], 537.38, places=1)
        brought = {one["name"]: one["origin"] for one in self.result("show", "10")["measurements"]}
        self.assertEqual(brought, {"imported.likeness": "imported", "sweetness": "imported"})

    def test_two_copies_go_on_naming_the_same_runs_alike(self):
        ids = [row["id"] for row in self.log()]
        self.assertTrue(all(map(is_id, ids)))
        self.assertEqual(len(set(ids)), len(ids))
        self.assertEqual(ids, sorted(ids, key=lambda known: known[:13]), "they sort by time, to a millisecond")
        self.lay(VERSION_3, "copy")
        self.assertEqual([row["id"] for row in self.result("log", "--logbook", "copy")["rows"]], ids)
        self.assertEqual({row["session"] for row in self.log()}, {None})

    def test_a_run_that_the_engine_of_then_was_killed_in_is_kept(self):
        self.write_plan(SLOW, task(seeds=(1,)))
        (self.path / "journal").mkdir()
        (self.path / "journal" / "2026-11-25T224635Z-1-001.jsonl").write_text(
            "\n" + "\n".join(map(json.dumps, CUT_OFF))
        )
        self.unvek("run")
        (cut,) = (row for row in self.log() if row["status"] == "interrupted")
        self.assertEqual(
            (cut["variant"], cut["launch"], cut["steps"], cut["started"]), ("full", 5, 1, CUT_OFF[0]["started_at"])
        )


if __name__ == "__main__":
    unittest.main()
