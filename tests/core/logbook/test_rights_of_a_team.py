"""Rights in a team's database: a reader changes nothing, a judge only judges, a machine writes and deletes nothing."""

import re
import unittest

from tests.core.session.test_team import TeamTest
from tests.support import LIKENESS, QUICK, SLOW, task
from unvek.core.errors import LogbookError
from unvek.core.logbook import tables
from unvek.core.logbook.place import Place
from unvek.core.logbook.store import Logbook


class Rights(TeamTest):
    def setUp(self) -> None:
        super().setUp()
        self.owner, self.database = self.address, self.address.rpartition("/")[2]
        self.unvek("team", self.owner)
        script = self.unvek("team", "--roles").stdout
        for _ in range(2):  # it may be run again
            self.server.sql(self.database, script)
        for name in ("reader", "judge", "writer"):
            login = f"{name}_{self.database}"
            self.server.sql(self.database, f"CREATE ROLE {login} LOGIN", f"GRANT unvek_{name} TO {login}")
            self.addCleanup(self.server.sql, "postgres", f"DROP OWNED BY {login}", f"DROP ROLE {login}")
        self.write_plan(SLOW, QUICK, task(seeds=(1, 2)), LIKENESS, rounds=2)
        self.address = self.as_role("writer")

    def as_role(self, name: str) -> str:
        return self.server.address(self.database, f"{name}_{self.database}")

    def test_a_machine_makes_runs_and_deletes_nothing(self):
        self.run_on()
        self.hold_whole(rounds=2, seeds=2)
        self.unvek("measure", "--logbook", self.address)
        self.unvek("note", "1", "warm", "--logbook", self.address)
        self.unvek("void", "2", "--why", "the kettle was on", "--logbook", self.address)
        for table in (*tables.metadata.tables, "at_work"):
            with self.subTest(table), self.assertRaises(Exception) as caught:
                self.server.sql(self.database, f"SET ROLE writer_{self.database}", f"DELETE FROM {table}")
            self.assertIn("permission denied", caught.exception.stderr)

    def test_a_reader_reads_all_and_changes_nothing(self):
        self.run_on()
        self.unvek("measure", "--logbook", self.address)
        reader = self.as_role("reader")
        for command in (
            ("log",),
            ("show", "1"),
            ("compare",),
            ("audit",),
            ("tradeoff",),
            ("watch", "--team"),
            ("export",),
            ("judge", "log"),
        ):
            self.unvek(*command, "--logbook", reader)
        for command in (("note", "1", "x"), ("void", "1", "--why", "x"), ("judge", "ballot")):
            said = self.unvek(*command, "--logbook", reader, expect=2).stderr
            self.assertIn("your role may not do this", said)
        with (
            Logbook.open(Place(self.folder / "x", reader)) as logbook,
            self.assertRaisesRegex(LogbookError, "your role may not"),
        ):
            logbook.record_rig("r", {})
        for table in tables.metadata.sorted_tables:
            column = next(iter(table.c)).name
            for change in (
                f"UPDATE {table.name} SET {column} = {column}",
                f"DELETE FROM {table.name}",
                f"TRUNCATE {table.name}",
                f"DROP TABLE {table.name}",
            ):
                with self.subTest(change), self.assertRaises(Exception) as caught:
                    self.server.sql(self.database, f"SET ROLE reader_{self.database}", change)
                self.assertRegex(caught.exception.stderr, "permission denied|must be owner")
        for change in (
            "CREATE TABLE mine (x INTEGER)",
            "ALTER TABLE runs DISABLE TRIGGER ALL",
            "SELECT setval('notes_number_seq', 1)",
        ):
            with self.subTest(change), self.assertRaises(Exception) as caught:
                self.server.sql(self.database, f"SET ROLE reader_{self.database}", change)
            self.assertRegex(caught.exception.stderr, "permission denied|must be owner")

    def test_a_judge_judges_and_makes_no_runs(self):
        self.run_on()
        self.unvek("measure", "--logbook", self.address)
        judge = self.as_role("judge")
        self.unvek("judge", "ballot", "--logbook", judge)
        with Logbook.open(Place(self.folder / "judge", judge)) as logbook:
            rosa = logbook.keep_judge("Rosa", "person")
            self.assertEqual(logbook.judges()[rosa.number].name, "Rosa")
            with self.assertRaisesRegex(LogbookError, "your role may not"):
                logbook.void_run(1, "x")
        self.assertIn("your role may not", self.unvek("note", "1", "x", "--logbook", judge, expect=2).stderr)

    def test_who_may_not_make_a_logbook_is_told_what_to_do(self):
        other = self.server.new_database()
        self.server.sql(other, "REVOKE CREATE ON SCHEMA public FROM PUBLIC")
        said = self.unvek("team", self.server.address(other, f"reader_{self.database}"), expect=2).stderr
        self.assertTrue(re.search("your role may not do this", said), said)


if __name__ == "__main__":
    unittest.main()
