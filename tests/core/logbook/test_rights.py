"""A logbook is its owner's alone, unless the owner opens it."""

import contextlib
import io
import os
import shutil
import sqlite3
import stat
import unittest
from collections.abc import Iterator
from pathlib import Path

from tests.support import SLOW, ProjectTest, task
from unvek.core.run.machine_lock import VARIABLE, held_machine
from unvek.show.live.viewer import Viewer  # noqa: F401 - imported here, since another user may not read its file
from unvek.show.live.watching import watch_runs

NOBODY = 65534


class Rights(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        self.addCleanup(os.umask, os.umask(0o022))
        self.write_plan(SLOW, task(seeds=(1,)))
        self.logbook = self.folder / "logbook"

    def run_more(self, seed: int) -> None:
        self.write_plan(SLOW, task(seeds=(seed,)))
        self.unvek("run")

    def rights(self) -> Iterator[tuple[Path, int, bool]]:
        for path in (self.logbook, *self.logbook.rglob("*")):
            yield path, stat.S_IMODE(path.stat().st_mode), path.is_dir()

    def test_all_that_is_made_is_the_owners_alone(self):
        self.unvek("run")
        self.unvek("try")
        found = list(self.rights())
        self.assertGreater(len(found), 12)
        self.assertEqual(
            [(path, oct(mode)) for path, mode, folder in found if mode != (0o700 if folder else 0o600)], []
        )

    def test_what_is_made_in_a_logbook_that_was_opened_is_open_too(self):
        self.unvek("run")
        for path, mode, folder in list(self.rights()):
            path.chmod(mode | (0o050 if folder else 0o040))
        self.run_more(2)
        found = list(self.rights())
        self.assertEqual(
            [(path, oct(mode)) for path, mode, folder in found if mode != (0o750 if folder else 0o640)], []
        )

    def test_one_of_a_time_when_all_could_read_them_is_closed_once(self):
        self.unvek("run")
        with contextlib.closing(sqlite3.connect(self.logbook / "runs.sqlite")) as database, database:
            database.execute("delete from about where key = 'closed_to_others'")
        for mode, wanted in ((0o755, 0o700), (0o755, 0o755)):
            self.logbook.chmod(mode)
            self.run_more(mode + wanted)
            self.assertEqual(stat.S_IMODE(self.logbook.stat().st_mode), wanted)

    @unittest.skipIf(os.getuid() != 0, "only root can look as another user")
    def test_another_user_sees_that_something_runs_and_watches_only_what_was_opened(self):
        self.unvek("run")
        lock = Path("/tmp") / f"unvek-test-lock-{os.getpid()}"
        self.addCleanup(lock.unlink)
        shared = Path("/tmp") / f"unvek-test-shared-{os.getpid()}"  # where another user comes to
        self.addCleanup(shutil.rmtree, shared)
        shutil.copytree(self.logbook, shared)
        (journal,) = (shared / "journal").glob("*.jsonl")
        os.environ[VARIABLE] = str(lock)
        self.addCleanup(os.environ.pop, VARIABLE)
        with held_machine("Which painter?") as machine:
            machine.tell_journal(journal)
            closed = self.watched_by_another()
            for path in (shared, shared / "journal", journal):
                path.chmod(0o755)
            opened = self.watched_by_another()
        self.assertIn("the logbook is not open to you", closed)
        self.assertNotIn("slow", closed)
        self.assertIn("slow", opened)

    def watched_by_another(self) -> str:
        """Return what `watch` shows and says to a user who has no rights here."""
        reading, writing = os.pipe()
        child = os.fork()
        if not child:
            out = io.StringIO()
            try:
                os.setgroups([])
                os.setgid(NOBODY)
                os.setuid(NOBODY)
                with contextlib.redirect_stdout(out):
                    watch_runs(None, lambda words: out.write(words + "\n"))
            except BaseException as error:
                out.write(repr(error))
            os.write(writing, out.getvalue().encode())
            os._exit(0)
        os.close(writing)
        with os.fdopen(reading) as file:
            said = file.read()
        os.waitpid(child, 0)
        return said


if __name__ == "__main__":
    unittest.main()
