"""Pictures from files that anybody may have made: nothing is started, and no more is held than the bounds say."""

import io
import os
import resource
import stat
import subprocess
import sys
import unittest
import zlib

from PIL import Image

from tests.support import ProjectTest
from tests.written import WrittenLogbook
from unvek.core.evidence.outputs.pictures import MEASURED_PIXELS
from unvek.core.pictures import MOST_PIXELS, READERS, NoPictureError, open_picture, picture_size, shown_side

EPS = b"""%!PS-Adobe-3.0 EPSF-3.0
%%BoundingBox: 0 0 90 90
(/bin/sh) run showpage
"""


def of(form: str, size: tuple[int, int], **more) -> bytes:
    file = io.BytesIO()
    Image.new("RGB", size, (90, 30, 160)).save(file, form, **more)
    return file.getvalue()


class Reading(ProjectTest):
    def test_every_named_reader_reads_and_scales_while_it_does(self):
        for form in READERS:
            with self.subTest(form):
                data = of(form, (600, 300))
                small, whole = open_picture(io.BytesIO(data), 60), open_picture(io.BytesIO(data))
                self.assertEqual((small.image.size, small.width, small.height), ((60, 30), 600, 300))
                self.assertEqual((whole.image.size, picture_size(io.BytesIO(data))), ((600, 300), (600, 300)))
                self.assertLess(
                    max(abs(a - b) for a, b in zip(small.image.getpixel((9, 9)), (90, 30, 160), strict=True)), 6
                )

    def test_no_picture_starts_a_program_whatever_it_is_called(self):
        called = self.folder / "called"
        for name in ("gs", "gswin32c", "gswin64c"):
            program = self.write(name, f"#!/bin/sh\ntouch {called}\n")
            program.chmod(program.stat().st_mode | stat.S_IXUSR)
        picture = self.folder / "label.png"
        picture.write_bytes(EPS)
        code = f"from unvek.core.pictures import *\nopen_picture({str(picture)!r})"
        path = f"{self.folder}{os.pathsep}{os.environ['PATH']}"
        done = subprocess.run(
            [sys.executable, "-c", code], env={**os.environ, "PATH": path}, capture_output=True, text=True
        )
        self.assertIn("NoPictureError: it is no picture, or damaged", done.stderr)
        self.assertFalse(called.exists())

    def test_the_size_is_looked_at_before_anything_is_unpacked(self):
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        for side, words in (
            (10_000, f"100 megapixels; at most {MOST_PIXELS / 1e6:.0f}"),
            (60_000, "far more than the 64"),
        ):
            data = bytearray(of("PNG", (8, 8)))
            data[16:24] = side.to_bytes(4, "big") * 2
            data[29:33] = zlib.crc32(data[12:29]).to_bytes(4, "big")
            with self.assertRaisesRegex(NoPictureError, words):
                open_picture(io.BytesIO(bytes(data)), 10)
        self.assertLess(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before, 50_000)

    def test_many_are_held_in_the_room_of_a_few(self):
        for count in (1, 10, 500, 10**9):
            self.assertLessEqual(shown_side(count) ** 2 * count, 32_000_000 if count < 10**5 else 10**13)


class Measuring(WrittenLogbook):
    def test_what_is_too_large_to_be_measured_has_no_value_and_says_so(self):
        self.plan("full", "half", cells=["full/violet/1", "half/violet/1"])
        side = int(MEASURED_PIXELS**0.5) + 1
        large = of("PNG", (side, side), compress_level=1)
        for name in ("full", "half"):
            self.run_made(f"{name}/violet/1", png=large)
        (without,) = self.evidence().without
        self.assertIn("its picture has 16 megapixels: at most 16 are measured", str(without))


if __name__ == "__main__":
    unittest.main()
