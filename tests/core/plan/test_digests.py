"""Large files are read once: a digest is remembered for as long as the file is the same."""

import hashlib
import os
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

from unvek.core.plan import digests
from unvek.core.plan.digests import DigestCache


class Remembering(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.file = self.folder / "weights.bin"
        self.written(b"weights", age_s=60)

    def written(self, content: bytes, age_s: float) -> None:
        self.file.write_bytes(content)
        os.utime(self.file, (time.time() - age_s,) * 2)

    def readings(self, times: int = 1) -> int:
        """Return how often the file is read for so many digests."""
        with mock.patch.object(digests.hashlib, "file_digest", wraps=hashlib.file_digest) as read:
            for _ in range(times):
                with DigestCache(folder=self.folder / "cache") as cache:
                    found = cache.digest(self.file)
        self.assertEqual(found, hashlib.sha256(self.file.read_bytes()).hexdigest())
        return read.call_count

    def test_a_file_is_read_once_and_again_when_it_changed(self):
        self.assertEqual(self.readings(3), 1)
        self.written(b"WEIGHTS", age_s=30)
        self.assertEqual((self.readings(), self.readings()), (1, 0))

    def test_a_file_that_was_just_written_is_not_trusted_to_stay(self):
        self.written(b"weights", age_s=0)
        self.assertEqual(self.readings(2), 2)

    def test_a_memory_that_can_not_be_used_costs_a_reading_and_no_more(self):
        self.readings()
        (self.folder / "cache" / "digests.sqlite").write_bytes(b"rubbish" * 999)
        self.assertEqual(self.readings(), 1)
        (self.folder / "file").touch()
        with DigestCache(folder=self.folder / "file" / "below") as cache:
            self.assertEqual(len(cache.digest(self.file)), 64)

    def test_a_long_reading_is_told(self):
        said = []
        with mock.patch.object(digests, "LARGE_BYTES", 5), DigestCache(said.append, self.folder / "cache") as cache:
            cache.digest(self.file)
        self.assertIn("once, for its digest", said[0])


if __name__ == "__main__":
    unittest.main()
