"""Pictures, still and moving."""

import hashlib
import io
import re
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import PurePath

import numpy as np
from numpy.typing import NDArray

from unvek.core.evidence.outputs.source import OutputError, Source
from unvek.core.logbook.rows import OutputRow
from unvek.core.pictures import NoPictureError, joined_frames, open_frames, open_picture, picture_size

MEASURED_PIXELS = 16_000_000  # of one picture: each takes 24 bytes, and a comparison of two several times that
SMALL_SIDE = 256
OWN_FOLDER_PARTS = 2  # of the path of a run's own folder: what lies deeper lies in a folder within


class Pictures(Source):
    """Bytes: (height, width, 3) of a still; (frames, height, width, 3) of what moves.

    That is a file with several frames, or several pictures in one folder within the run's own, in the order of their
    names as people count. Of several pictures beside each other the first is meant.
    """

    name = "picture"
    endings = (".png", ".jpg", ".jpeg", ".webp", ".bmp", ".gif", ".tif", ".tiff", ".ppm")
    largest_bytes = 256 * 2**20

    @staticmethod
    def is_moving(path: str) -> bool:
        """Whether a picture is one that moves, as far as its name tells: a GIF, or one of a folder of frames."""
        return path.lower().endswith(".gif") or path.count("/") > OWN_FOLDER_PARTS

    def digest(self, run: int) -> str:
        first, *others = self._files(run)
        if not others:
            return first.digest
        return hashlib.sha256("".join(file.digest for file in (first, *others)).encode()).hexdigest()

    def content(self, run: int) -> NDArray[np.uint8]:
        first, *others = self._files(run)
        if not others:
            content: NDArray[np.uint8] = super().content(run)
            return content
        digest = self.digest(run)
        if digest not in self._held:
            self._hold(digest, self._of_folder([first, *others]))
        held: NDArray[np.uint8] = self._held[digest]
        return held

    def _files(self, run: int) -> list[OutputRow]:
        first = self._output(run)
        if first.path.count("/") <= OWN_FOLDER_PARTS:
            return [first]
        folder = PurePath(first.path).parent
        frames = (output for output in self._all[run] if PurePath(output.path).parent == folder)
        return sorted(frames, key=lambda output: _as_counted(output.path))

    def _of_folder(self, files: list[OutputRow]) -> NDArray[np.uint8]:
        try:
            return joined_frames(self._read(self._bytes(file)) for file in files)
        except NoPictureError as error:
            raise OutputError(str(error)) from error

    def _read(self, data: bytes) -> NDArray[np.uint8]:
        with _told_of_picture():
            width, height = picture_size(io.BytesIO(data))
            if width * height > MEASURED_PIXELS:
                raise OutputError(
                    f"its picture has {width * height / 1e6:.0f} megapixels: at most {MEASURED_PIXELS / 1e6:.0f} are "
                    "measured"
                )
            frames = open_frames(io.BytesIO(data))
        return frames[0] if len(frames) == 1 else frames

    def size(self, run: int) -> tuple[int, int]:
        """Return a picture's width and height, without unpacking it; OutputError as for `content`."""
        with _told_of_picture():
            return picture_size(io.BytesIO(self._bytes(self._output(run))))

    def small(self, run: int) -> NDArray[np.uint8]:
        """Return a picture scaled down, for a look at what is in it; OutputError as for `content`."""
        with _told_of_picture():
            return np.asarray(open_picture(io.BytesIO(self._bytes(self._output(run))), SMALL_SIDE).image)


@contextmanager
def _told_of_picture() -> Iterator[None]:
    try:
        yield
    except NoPictureError as error:
        raise OutputError(f"of its picture: {error}") from error


def _as_counted(path: str) -> list[tuple[int, str]]:
    """Return what puts names in the order that people count in: 2 before 10."""
    return [(int(part), "") if part.isdecimal() else (-1, part) for part in re.split(r"(\d{1,18})", path)]
