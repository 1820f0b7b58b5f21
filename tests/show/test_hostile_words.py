"""Whatever names, errors and texts hold that came from outside: nothing that is shown can move, colour or hide anything."""

import contextlib
import fcntl
import json
import os
import sqlite3
import unicodedata
import unittest

from tests import support
from tests.support import ProjectTest, called, started, task, variant
from unvek.core.logbook.store import Logbook
from unvek.core.logbook.verdict_rows import VerdictRow
from unvek.core.plain_text import clean, clean_text

HOSTILE = "\x1b[2J\x1b]0;owned\x07\u202egnp.\u2066\x9b31m\x00\u2028\u200b"
SCRIPT = """
def load(variant):
    print("evil-print")
    if variant.name == "evil-bad": raise OSError("evil-load")
def run(model, job, probe):
    probe.phase("evil-phase")
    probe.step()
    probe.token("evil-text\\nand more")
    probe.value("evil-value", 1, "evil-unit")
    probe.count("evil-count")
    probe.fault("evil-fault", "evil-note")
    probe.output(b"1", "evil-output.txt")
    print("evil-print")
    if job.settings["evil-setting"] == 2: raise ValueError("evil-error")
"""
FORMS = ("table", "json", "csv", "markdown")
SHOWING = (
    ("log",), ("log", "--sessions"), ("log", "--forecasts"), ("show", "1"), ("show", "2"), ("compare",), ("tradeoff",),
    ("audit",), ("curve", "evil-setting"), ("measure",), ("compare", "--matrix", "edit"),
    ("judge", "log"), ("judge", "tally"),
)  # fmt: skip


def hostile_in(text: str) -> set[str]:
    """Return the characters of a text that a terminal would not only show."""
    return {c for c in text if c not in "\n\r\t" and unicodedata.category(c) in ("Cc", "Cf", "Cs", "Zl", "Zp")}


class EveryCommand(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        self.write("model.py", SCRIPT)
        plan = self.write_plan(
            variant("evil-good"), variant("evil-bad", "quantized"), task("evil-task", prompt="evil-prompt"),
            '[vary]\n"evil-setting" = [1, 2]\n', rounds=2,
        )  # fmt: skip
        words = plan.read_text().replace('reference = "slow"', 'reference = "evil-good"')
        plan.write_text(words.replace('title = "Which painter?"', 'title = "evil-title"'))
        self.have_runs(expect=1)
        self.unvek("note", "1", "evil-remark")
        self.unvek("void", "2", "--why", "evil-reason")
        self.judge()
        self.poison()

    def judge(self) -> None:
        with Logbook.open(self.folder / "logbook") as logbook:
            for sort, more in (
                ("person", {}),
                ("model", {"doubts": ("evil-doubt",)}),
                ("model", {"unreadable": "evil-reply", "answer": None}),
            ):
                judge = logbook.keep_judge("evil-judge", sort, digest="evil-digest")
                said = {"answer": 50, **more}
                verdict = VerdictRow(
                    number=0, id="", judge=judge.number, question="q", asks="marks", left_run=1, left_digest="d", why="evil-why",
                    judged_at="2026-01-01T00:00:00+00:00", **said,
                )  # fmt: skip
                (kept,) = logbook.keep_verdicts([verdict])
            logbook.note_verdict(kept.number, "evil-note")

    def poison(self) -> None:
        """Put the hostile text into every name and word of the logbook and its journal."""
        escaped = json.dumps(HOSTILE)[1:-1]
        with contextlib.closing(sqlite3.connect(self.folder / "logbook" / "runs.sqlite")) as database, database:
            tables = [name for (name,) in database.execute("select name from sqlite_master where type = 'table'")]
            changed = 0
            for table in tables:
                for _, column, kind, *_ in list(database.execute(f"pragma table_info({table})")):
                    if kind in ("VARCHAR", "TEXT", "JSON"):
                        hostile = escaped if kind == "JSON" else HOSTILE
                        sql = (
                            f"update {table} set {column} = replace({column}, 'evil-', ?) where {column} like '%evil-%'"
                        )
                        changed += database.execute(sql, (hostile,)).rowcount
        self.assertGreater(changed, 50)
        for journal in (self.folder / "logbook" / "journal").glob("*.jsonl"):
            journal.write_text(journal.read_text().replace("evil-", escaped))

    def assert_harmless(self, *arguments: str) -> str:
        done = self.unvek(*arguments)
        for text in (done.stdout, done.stderr):
            self.assertEqual(hostile_in(text), set(), arguments)
        return done.stdout

    def test_nothing_hostile_is_shown_in_any_form(self):
        for command in SHOWING:
            for form in FORMS:
                with self.subTest(command=command, form=form):
                    shown = (
                        command if "setting" not in command[-1] else (command[0], f"{HOSTILE}setting".replace("\0", ""))
                    )
                    if command[0] != "curve":
                        self.assertTrue(self.assert_harmless(*shown, "--as", form))

    def test_nothing_hostile_is_watched_or_exported(self):
        self.assertIn("owned", self.assert_harmless("watch"))
        for name in ("out.csv", "out.jsonl"):
            self.assert_harmless("export", name)
            text = (self.folder / name).read_text(encoding="utf-8")
            self.assertIn("owned", text)
            self.assertEqual(hostile_in(text), set(), name)
        refused = self.unvek(
            "import", "out.csv", "--logbook", "other", expect=2
        ).stderr  # names may not hold even marks
        self.assertEqual(hostile_in(refused), set())

    def test_errors_quote_nothing_hostile(self):
        for command in (("show", HOSTILE.replace("\0", "")), ("compare", "--reference", "\x1b[2J"), ("log", "\x1b[31m"),
                        ("check", "\x1b[2J.toml"), ("import", "\x1b]0;x\x07.csv")):  # fmt: skip
            with self.subTest(command=command):
                done = self.unvek(*command, expect=2)
                self.assertEqual(hostile_in(done.stdout + done.stderr), set())


class WhereItHappened(ProjectTest):
    def test_a_traceback_is_shown_when_asked_for_and_clean(self):
        done = called("--debug", "check", "\x1b[2J.toml", folder=self.folder)
        self.assertIn("Traceback", done.stderr)
        self.assertEqual((done.returncode, hostile_in(done.stderr)), (1, set()))


class TheLock(ProjectTest):
    def test_what_stands_in_the_lock_is_shown_clean_and_never_waited_for(self):
        lock = self.folder / "lock"
        self.write_plan(variant("slow"), task())
        before, support.MACHINE_LOCK = support.MACHINE_LOCK, str(lock)
        self.addCleanup(setattr, support, "MACHINE_LOCK", before)
        said = {
            "pid": 10**400,
            "user": HOSTILE,
            "title": HOSTILE * 50,
            "since": [HOSTILE],
            "journal": "/dev/zero.jsonl",
        }
        with open(lock, "w+") as file:
            json.dump(said, file)
            file.flush()
            fcntl.flock(file, fcntl.LOCK_EX)
            done = self.unvek("run", expect=2)
            self.assertIn("owned", done.stderr)
            self.assertEqual(hostile_in(done.stderr), set())
            self.assertLess(len(done.stderr), 1200)
            self.assertEqual(hostile_in(self.unvek("watch").stderr), set())
            for content in (b"\xff" * 99, b"[" * 9999, b'{"pid": true, "user": {}}', b'{"journal": "\\u0000"}'):
                os.pwrite(file.fileno(), content.ljust(20_000), 0)
                self.unvek("watch")
                self.unvek("run", expect=2)
        lock.unlink()
        os.mkfifo(lock)
        self.assertIn("nothing runs", started("watch", folder=self.folder, timeout_s=30).stderr)
        self.assertIn("it is no plain file", self.unvek("run", expect=2).stderr)


class Cleaning(unittest.TestCase):
    def test_text_is_shown_as_it_is_but_for_what_would_do_something(self):
        self.assertEqual(clean("naïve 花 \U0001f33f"), "naïve 花 \U0001f33f")
        self.assertEqual(clean("a\x1b[31mb\r\n\tc\u202ed\ud800"), "a\ufffd[31mb   c\ufffdd\ufffd")
        self.assertEqual((clean("x" * 99, 5), clean_text("a\x07\nb")), ("xxxxx", "a\ufffd\nb"))


if __name__ == "__main__":
    unittest.main()
