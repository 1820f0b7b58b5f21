"""Outputs that a team shares: by digest, written before the run is kept, held against the digest when they are read."""

import logging
import os
import subprocess
import tempfile
import unittest
from pathlib import Path
from unittest.mock import patch
from uuid import uuid4

from moto.server import ThreadedMotoServer

from tests.core.session.test_team import STEADY, TeamTest
from tests.database import stopped
from tests.support import CACHE, LIKENESS, QUICK, task
from unvek.core.errors import LogbookUnreachableError
from unvek.core.logbook.output_files import OutputFiles
from unvek.core.logbook.output_store import OutputStore
from unvek.core.logbook.place import Place
from unvek.core.logbook.rows import OutputRow
from unvek.core.logbook.store import Logbook

SECRET = {"AWS_ACCESS_KEY_ID": "gardeners-key", "AWS_SECRET_ACCESS_KEY": "hush-hush-hush"}


def fetched_files() -> list[Path]:
    return list(Path(CACHE).rglob("fetched/*/*/label.ppm"))


class Sharing:
    """What holds of every place; what is read from another machine is read with a folder of its own."""

    def shared_at(self) -> str:
        return f"file://{self.folder}/srv/unvek"

    def more(self) -> dict[str, str]:
        return {}

    def setUp(self) -> None:
        super().setUp()
        change = patch.dict(os.environ, self.more())
        change.start()
        self.addCleanup(change.stop)
        self.write_plan(STEADY, QUICK, task(seeds=(1, 2)), LIKENESS, rounds=2)
        self.plan = self.folder / "plan.toml"
        self.written = self.plan.read_text()
        other = tempfile.TemporaryDirectory(prefix="unvek-test-")
        self.addCleanup(other.cleanup)
        self.other = Path(other.name)
        self.plan.write_text(f'logbook = "{self.address}"\noutputs = "{self.shared_at()}"\n' + self.written)

    def elsewhere(self, *arguments: str, expect: int = 0) -> subprocess.CompletedProcess[str]:
        """Run the program as on a machine that has nothing of the plan."""
        here, self.folder = self.folder, self.other
        try:
            return self.unvek(*arguments, "--logbook", self.address, expect=expect)
        finally:
            self.folder = here

    def test_another_machine_measures_and_shows_what_this_one_made(self):
        before = len(fetched_files())
        self.run_on()
        said = self.elsewhere("show", "1").stdout
        self.assertIn("not on this machine", said)
        self.elsewhere("measure")
        self.elsewhere("sheet", "--out", "sheet.png")
        self.assertTrue((self.other / "sheet.png").exists())
        self.assertNotIn("not as they were made", self.elsewhere("compare").stdout)
        rows = {row["variant"]: row for row in self.result("compare")["rows"]}
        self.assertLess(rows["quick"]["measures"]["likeness"]["typical"], 1)
        self.assertGreaterEqual(len(fetched_files()) - before, 4)

    def test_runs_whose_outputs_can_not_be_shared_wait(self):
        self.away()
        said = self.run_on()
        self.assertIn("can't be written to", said)
        self.assertRegex(said, r"\d+ runs wait in")
        self.assertEqual(self.kept(), [])
        self.back()
        self.assertIn("8 runs that waited on this machine came into", self.run_on())
        self.hold_whole(rounds=2, seeds=2)
        self.elsewhere("measure")
        self.assertNotIn("gone", self.elsewhere("compare").stdout)


class InFolder(Sharing, TeamTest):
    """The place is a folder."""

    def test_what_was_changed_in_the_store_is_never_taken_for_the_output(self):
        before = len(fetched_files())
        self.run_on()
        self.change_all_stored(b"P6 16 16 255\n" + bytes(768))
        said = self.elsewhere("measure", "--as", "json").stdout
        self.assertIn("its file is gone, or can't be read", said)
        self.assertEqual(len(fetched_files()), before)

    def test_outputs_go_to_one_place(self):
        self.run_on()
        self.plan.write_text(self.plan.read_text().replace(self.shared_at(), self.shared_at() + "/other"))
        said = self.run_on(expect=2)
        self.assertIn("say the same in the plan", said)

    def test_a_server_that_was_down_meanwhile_has_every_output_in_the_end(self):
        process = self.begin()
        self.until_kept(2)
        with stopped(self.server):
            self.ended(process)
        self.run_on()
        self.hold_whole(rounds=2, seeds=2)
        with Logbook.open(Place(self.folder / "reader", self.address)) as logbook:
            self.assertEqual(len(logbook.outputs()), 8)
            for output in logbook.outputs():
                self.assertEqual(logbook.files.find(output).stat().st_size, output.bytes)

    def change_all_stored(self, content: bytes) -> None:
        for path in (self.folder / "srv" / "unvek").rglob("*"):
            if path.is_file():
                path.write_bytes(content)

    def away(self) -> None:
        (self.folder / "srv").mkdir(exist_ok=True)
        (self.folder / "srv" / "unvek").write_text("a file in the way")

    def back(self) -> None:
        (self.folder / "srv" / "unvek").unlink()


class InObjectStore(Sharing, TeamTest):
    """The place is an object store: a stand-in on the loopback that speaks its protocol."""

    def more(self) -> dict[str, str]:
        logging.getLogger("werkzeug").setLevel(logging.ERROR)
        self.stand_in = ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
        self.stand_in.start()
        self.addCleanup(self.stand_in.stop)
        self.at = "http://{}:{}".format(*self.stand_in.get_host_and_port())
        self.bucket = f"nursery-{uuid4().hex[:8]}"
        environment = {
            **SECRET,
            "AWS_ENDPOINT_URL": self.at,
            "AWS_DEFAULT_REGION": "us-east-1",
            "AWS_MAX_ATTEMPTS": "1",
        }
        with patch.dict(os.environ, environment):
            self.files().mkdir(self.bucket)
        return environment

    def shared_at(self) -> str:
        return f"s3://{self.bucket}/outputs"

    def files(self):
        import s3fs

        return s3fs.S3FileSystem(skip_instance_cache=True)

    def away(self) -> None:
        self.files().rm(self.bucket, recursive=True)

    def back(self) -> None:
        self.files().mkdir(self.bucket)

    def test_no_credentials_are_kept(self):
        self.run_on()
        self.assertGreaterEqual(len(self.files().find(self.bucket)), 4)
        held = [path for path in self.folder.rglob("*") if path.is_file()]
        self.assertFalse([path for path in held if any(word.encode() in path.read_bytes() for word in SECRET.values())])
        kept = self.server.sql(
            self.address.rpartition("/")[2], "SELECT * FROM about", "SELECT * FROM plans", "SELECT * FROM run_details"
        )
        self.assertIn(self.shared_at(), kept)
        self.assertFalse([word for word in SECRET.values() if word in kept])


class Hostile(unittest.TestCase):
    def test_nothing_of_this_machine_is_read_for_a_path_that_leads_elsewhere(self):
        files = OutputFiles(Path("/etc"), None, is_team=True)
        for path in ("passwd", "outputs/../passwd", "/etc/passwd", "../etc/passwd", "logs/x"):
            with self.subTest(path), self.assertRaises(FileNotFoundError):
                files.find(OutputRow(number=1, run=1, path=path, bytes=1, digest="0" * 64))

    def test_what_is_no_digest_is_asked_of_no_store(self):
        store = OutputStore("file:///tmp/unvek-no-such-place")
        for digest in ("", "..", "../../etc/passwd", "A" * 64, "0" * 63, "0" * 64 + "\n"):
            with self.subTest(digest), self.assertRaises(FileNotFoundError):
                store.fetch(digest, 1, Path("/tmp/unvek-nothing"))

    def test_a_store_that_can_not_be_reached_is_told_in_words(self):
        with patch.dict(os.environ, {**SECRET, "AWS_ENDPOINT_URL": "http://127.0.0.1:9", "AWS_MAX_ATTEMPTS": "1"}):
            store = OutputStore("s3://nursery-2/x")
            with self.assertRaisesRegex(LogbookUnreachableError, "s3://nursery-2/x can't be written to"):
                store.put(Path(__file__), "0" * 64, 1)


if __name__ == "__main__":
    unittest.main()
