"""Runs as columns in arrays, from the database or from the file beside it: always what the database says now."""

import random
import shutil
import sqlite3
import unittest
from contextlib import closing
from unittest import mock

from tests.written import WrittenLogbook
from unvek.core.logbook import runs_as_columns
from unvek.core.logbook.rows import RunRow
from unvek.core.logbook.store import Logbook


class AsColumns(WrittenLogbook):
    def setUp(self) -> None:
        super().setUp()
        self.use(mock.patch.object(runs_as_columns, "MANY", 1))
        self.plan("a", "b", cells=["a/violet/1", "b/violet/1"], quality=None)
        for number in range(1, 6):
            for variant in "ab":
                self.run_made(f"{variant}/violet/1", time_s=number / 7, round_number=number, varied={"steps": number})
        self.run_made("a/amber/2", status="failed", time_s=None, memory=None, warm_up=True)
        self.logbook.void_run(3, "a delivery\u2028came")
        self.file = self.logbook.folder.path / "runs.arrow"
        self.reads = self.use(mock.patch.object(runs_as_columns, "_rows_after", wraps=runs_as_columns._rows_after))

    def use(self, patch):
        self.addCleanup(patch.stop)
        return patch.start()

    def check(self, of: Logbook | None = None) -> int:
        """Hold columns against rows, and return behind which run the database was read."""
        logbook = of or self.logbook
        table, rows = logbook.run_columns(), list(logbook.run_table(RunRow))
        self.assertEqual(list(table), rows)
        self.assertEqual([table[place] for place in range(len(table))], rows)
        for name in ("variant", "varied", "voided", "warm_up", "status", "rig"):
            coded = table.coded(name)
            self.assertEqual([coded.values[code] for code in coded.codes], [getattr(row, name) for row in rows], name)
            self.assertEqual(len({repr(value) for value in coded.values}), len(coded.values), name)
        known = [None if value != value else value for value in table.numbers("time_s").tolist()]
        self.assertEqual(known, [row.time_s for row in rows])
        return int(self.reads.call_args.args[1])

    def test_a_file_is_made_and_read_in_the_databases_place(self):
        self.assertEqual(self.check(), 0)
        self.assertTrue(self.file.is_file())
        self.assertEqual(self.check(), 11)
        self.assertEqual(self.file.stat().st_mode & 0o077, 0)

    def test_what_is_changed_by_whomever_is_seen(self):
        self.check()
        self.logbook.void_run(4, "hot")
        self.assertEqual(self.check(), 0)
        self.logbook.void_run(4, None)
        self.assertEqual(self.check(), 0)
        self.assertEqual(self.check(), 11)
        for statement in (
            "UPDATE runs SET time_s = 9 WHERE number = 2", "DELETE FROM runs WHERE number = 11",
            "UPDATE launches SET rig = 'elsewhere' WHERE number = 2",
        ):  # fmt: skip
            with closing(sqlite3.connect(self.logbook.folder.database)) as database, database:
                database.execute("DELETE FROM run_details WHERE run = 11")
                database.execute("DELETE FROM measurements WHERE run = 11")
                database.execute(statement)
            self.assertEqual(self.check(), 0, statement)

    def test_runs_that_came_since_are_read_behind_it(self):
        self.check()
        self.run_made("b/rose/9", time_s=2.5, varied={"steps": 77})
        self.assertEqual(self.check(), 11)
        with mock.patch.object(runs_as_columns, "BEHIND", 1.0):
            self.run_made("a/violet/1", time_s=2.5, round_number=9)
            self.assertEqual(self.check(), 12, "made again, with the run that came before")
            self.assertEqual(self.check(), 12, "and now not: it is behind by little")

    def test_a_copy_of_another_time_in_its_place_is_no_better(self):
        copy = self.folder / "copy.sqlite"
        self.logbook._engine.dispose()
        shutil.copy(self.logbook.folder.database, copy)
        self.check()
        self.run_made("b/rose/9", time_s=2.5)
        self.check()
        self.logbook.close()
        for path in self.logbook.folder.path.glob("runs.sqlite*"):
            path.unlink()
        shutil.copy(copy, self.logbook.folder.database)
        with Logbook.open(self.logbook.folder.path) as again:
            self.assertEqual(self.check(again), 0)
        with Logbook.make_or_open(self.logbook.folder.path) as again:
            again.record_rig("rig-1", {})
            self.logbook = again
            self.run_made("a/other/1", time_s=0.1)
            self.check(again)

    def test_where_nobody_counted_changes_for_a_while_it_is_made_again(self):
        self.check()
        with closing(sqlite3.connect(self.logbook.folder.database)) as database, database:
            database.execute("DROP TRIGGER runs_updated")
            database.execute("UPDATE runs SET time_s = 9 WHERE number = 2")
        self.assertEqual(self.check(), 0)

    def test_a_file_that_is_not_as_it_was_written_is_made_again(self):
        self.check()
        whole = self.file.read_bytes()
        rng = random.Random(5)
        for _ in range(300):
            place, damaged = rng.randrange(len(whole)), bytearray(whole)
            damaged[place] ^= 1 << rng.randrange(8)
            self.file.write_bytes(damaged[: rng.choice((len(whole), len(whole), place))])
            self.check()
        for odd in (b"", b"ARROW1", bytes(9999)):
            self.file.write_bytes(odd)
            self.assertEqual(self.check(), 0)
        self.file.unlink()
        self.file.symlink_to("/dev/zero")
        self.check()

    def test_a_disk_that_is_full_costs_the_file_alone(self):
        with mock.patch("os.fdopen", side_effect=OSError(28, "No space left on device")):
            self.assertEqual(self.check(), 0)
        self.assertEqual(self.check(), 0)
        self.assertEqual(self.check(), 11)

    def test_results_are_the_same_to_the_last_digit(self):
        self.logbook.close()
        commands = (("compare",), ("tradeoff",), ("audit",), ("curve", "steps"), ("log",))
        first, second = ([self.result(*command) for command in commands] for _ in range(2))
        with mock.patch.object(runs_as_columns, "MANY", 10**9):
            plain = [self.result(*command) for command in commands]
        self.assertEqual(first, plain)
        self.assertEqual(second, plain)


if __name__ == "__main__":
    unittest.main()
