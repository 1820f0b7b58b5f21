"""A full disk, a folder that can't be written, an older, newer, cut or damaged logbook: told, and nothing is lost."""

import json
import os
import random
import signal
import sqlite3
import subprocess
import time
import unittest

from tests.support import QUICK, SLOW, STARTED, ProjectTest, called, started, task
from unvek.core.ask.secrets import Secrets
from unvek.core.logbook.store import Logbook
from unvek.core.run.events.sieve import Sieve
from unvek.core.session.recovery import recover_run


class FullDisk(ProjectTest):
    def test_what_was_kept_stays_and_the_same_command_goes_on_when_there_is_room(self):
        disk = self.folder / "disk"
        disk.mkdir()
        if subprocess.run(["mount", "-t", "tmpfs", "-o", "size=1200k", "none", disk], capture_output=True).returncode:
            self.skipTest("only root can make a small disk")
        self.addCleanup(subprocess.run, ["umount", "-l", disk], capture_output=True)
        self.write_plan(SLOW, task(seeds=range(1, 61)))
        done = self.unvek("run", "--plain", "--logbook", "disk/logbook", expect=2)
        self.assertIn("full", done.stderr)
        self.assertIn("Every run that was kept is safe", done.stderr)
        said = [line for line in done.stderr.splitlines() if " slow " in line]
        kept = self.result("log", "--logbook", "disk/logbook")["rows"]
        self.assertGreater(len(kept), 5)
        self.assertTrue(len(said) <= len(kept) <= len(said) + 1, (len(said), len(kept)))
        subprocess.run(["mount", "-o", "remount,size=100m", disk], check=True)
        self.unvek("run", "--logbook", "disk/logbook")
        rows = self.result("log", "--logbook", "disk/logbook")["rows"]
        self.assertEqual(sum(row["status"] == "finished" for row in rows), 60)
        self.assertEqual([row["run"] for row in kept], [row["run"] for row in rows[: len(kept)]])


class Unwritable(ProjectTest):
    def test_a_logbook_on_a_read_only_disk_is_read_and_not_written(self):
        self.write_plan(SLOW, task())
        self.unvek("run")
        disk = self.folder / "disk"
        disk.mkdir()
        mounted = subprocess.run(["mount", "--bind", self.folder / "logbook", disk], capture_output=True)
        if (
            mounted.returncode
            or subprocess.run(["mount", "-o", "remount,ro,bind", disk], capture_output=True).returncode
        ):
            self.skipTest("only root can make a read-only disk")
        self.addCleanup(subprocess.run, ["umount", "-l", disk], capture_output=True)
        self.assertEqual(len(self.result("log", "--logbook", "disk")["rows"]), 2)
        for command in (("run", "--logbook", "disk"), ("note", "1", "a remark", "--logbook", "disk")):
            done = self.unvek(*command, expect=2)
            self.assertRegex(done.stderr, "writable|can't be made|can't be written")


class Damaged(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        self.write_plan(SLOW, QUICK, task(), rounds=2, quality=True)
        self.have_runs()
        self.database = self.folder / "logbook" / "runs.sqlite"
        with sqlite3.connect(self.database) as connection:
            connection.execute("pragma wal_checkpoint(truncate)")
        connection.close()

    def test_however_it_is_damaged_commands_say_so_or_work_and_change_nothing(self):
        whole, rng = self.database.read_bytes(), random.Random(8)
        told = 0
        for turn in range(7):
            content = bytearray(whole)
            if turn % 3 == 0:
                content = content[: rng.randrange(100, len(content))]
            for _ in range(rng.choice((1, 40, 400)) if turn % 3 else 0):
                content[rng.randrange(len(content))] = rng.randrange(256)
            for command in (("log",), ("show", "3"), *([("run",)] if turn in (0, 1, 2, 4) else [])):
                with self.subTest(turn=turn, command=command):
                    self.put(content)
                    begun = started if command[0] in STARTED else called
                    done = begun(*command, folder=self.folder)
                    self.assertNotIn("Traceback", done.stderr)
                    self.assertNotIn("went wrong within Unvek", done.stderr)
                    if done.returncode:
                        told += 1
                        self.assertEqual(done.returncode, 2, done.stderr)
                        self.assertEqual(self.database.read_bytes(), bytes(content))
        self.assertGreater(told, 4)

    def test_one_value_that_nobody_put_there_is_told_as_damage_wherever_it_comes_to_light(self):
        whole = self.database.read_bytes()
        for table, column, value in (
            ("launches", "rig", "4263e2f6k75b115a"), ("launches", "session", 99), ("runs", "form", "dis:illed"),
            ("runs", "round", "x"), ("runs", "varied", "null"), ("rigs", "facts", '{"cords": 2}'),
            ("measurements", "value", ""), ("definitions", "name", b"count.cal\xffs"),
            ("run_details", "step_times_s", b"\xff" * 16),
        ):  # fmt: skip
            with self.subTest(table=table, column=column, value=value):
                damaged = self.folder / "damaged.sqlite"
                damaged.write_bytes(whole)
                connection = sqlite3.connect(damaged)
                connection.execute("pragma journal_mode = delete")
                connection.execute(f"update {table} set {column} = ?", (value,))
                connection.commit()
                connection.close()
                self.put(damaged.read_bytes())
                done = [called(*command, folder=self.folder) for command in (("log",), ("show", "3"), ("compare",))]
                self.assertNotIn("went wrong within", "".join(one.stderr for one in done))
                self.assertRegex("".join(one.stderr for one in done), "is damaged, or is no logbook")
                with sqlite3.connect(self.database) as connection:
                    self.assertIn((value,), connection.execute(f"select {column} from {table}").fetchall())
                connection.close()

    def put(self, content: bytes) -> None:
        for extra in ("-wal", "-shm"):
            self.database.with_name(self.database.name + extra).unlink(missing_ok=True)
        self.database.write_bytes(content)


class Killed(ProjectTest):
    def test_the_run_that_was_cut_off_is_kept_as_interrupted_and_nothing_twice(self):
        self.write_plan(SLOW.replace("0.006", "0.1"), task(seeds=range(1, 9)))
        process = self.start("run", "--plain")
        for _ in range(3):
            process.stderr.readline()
        journal = next((self.folder / "logbook" / "journal").glob("*.jsonl"))
        while (text := journal.read_text()).count('"event": "began"') <= text.count('"entry": "kept"'):
            time.sleep(0.01)
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()
        self.unvek("run")
        rows = self.log()
        cut = [row for row in rows if row["status"] == "interrupted"]
        self.assertEqual(len(cut), 1)
        self.assertIn("the engine was killed", self.result("show", str(cut[0]["run"]))["error"])
        self.assertEqual(sum(row["status"] == "finished" for row in rows), 8)
        self.unvek("run")
        self.assertEqual(len(self.log()), len(rows))

    def test_killed_at_any_instant_nothing_is_lost_and_the_same_command_finishes(self):
        self.write_plan(SLOW, QUICK, task(seeds=range(1, 7)), rounds=3)
        rng, before = random.Random(2), set()
        for _ in range(8):
            process = self.start("run", "--plain")
            time.sleep(rng.uniform(0.1, 1.2))
            os.killpg(process.pid, signal.SIGKILL)
            process.communicate()
            if not (self.folder / "logbook" / "runs.sqlite").exists():
                continue
            rows = [row for row in self.log() if row["status"] == "finished"]
            slots = [(row["variant"], row["seed"], row["round"], row["repeat"]) for row in rows]
            self.assertEqual(len(slots), len(set(slots)), "measured twice")
            self.assertFalse(before - set(slots), "lost")
            before = set(slots)
        self.unvek("run")
        self.assertEqual(self.statuses().count("finished"), 36)

    def test_a_journal_that_makes_no_sense_recovers_nothing(self):
        self.write_plan(SLOW, task())
        self.have_runs()
        journal = next((self.folder / "logbook" / "journal").glob("*.jsonl"))
        whole = journal.read_text().splitlines()
        begun = next(line for line in whole if '"entry": "run"' in line)
        for last in (begun[:50], begun.replace('"place": 1', '"place": "x"'), begun.replace('"launch": 1', '"launch": 99'),
                     '{"entry": "run", "event": "step"}', json.dumps({"entry": "run"})):  # fmt: skip
            with self.subTest(last), Logbook.open(self.folder / "logbook") as logbook:
                journal.write_text("\n".join([*whole[:2], last]))
                self.assertIsNone(recover_run(logbook, Sieve(()), Secrets(())))
        self.unvek("run")
        self.assertEqual(self.statuses(), ["finished"] * 2)


if __name__ == "__main__":
    unittest.main()
