"""A file read a piece at a time, none longer than it may be and none beyond its end."""

import os
import stat
from io import BufferedReader, FileIO
from pathlib import Path
from struct import Struct, unpack
from types import TracebackType

from unvek.core.weights.formats.contents import WeightsError

WINDOW_BYTES = 2**16


class BoundedReader:
    """Reads a file from its beginning on. WeightsError where it ends before what its header says is there.

    most_bytes: how much of it may be read in all; what is skipped is not read.
    """

    def __init__(self, path: Path, most_bytes: int):
        check_plain(path)
        self._file = BufferedReader(FileIO(path), WINDOW_BYTES)
        self.size_bytes = os.fstat(self._file.fileno()).st_size
        self.place = 0
        self._left = self.most_bytes = most_bytes

    def __enter__(self) -> "BoundedReader":
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self._file.close()

    def read(self, count: int) -> bytes:
        """Return the next bytes, all of them."""
        self._left -= count
        if count < 0 or self._left < 0:
            raise WeightsError(f"its header is longer than {self.most_bytes // 2**20} MiB")
        self.need(count)
        data = self._file.read(count)
        if len(data) < count:
            raise WeightsError(f"it is cut off after {self.place + len(data)} bytes")
        self.place += count
        return data

    def window(self) -> bytes:
        """Return some of the next bytes, and stay where they begin: empty at the end."""
        return self._file.peek()

    def byte(self) -> int:
        """Return the next byte: as `read` does, for what is read a byte at a time."""
        data = self._file.read(1)
        self._left -= 1
        if not data or self._left < 0:
            self.need(1)
            self.read(1)
        self.place += 1
        return data[0]

    def skip(self, count: int) -> None:
        """Go on behind so many bytes."""
        self.need(count)
        self._file.seek(count, os.SEEK_CUR)
        self.place += count

    def need(self, count: int) -> None:
        """Refuse to go on where the file has fewer bytes left than these."""
        if not 0 <= count <= self.size_bytes - self.place:
            raise WeightsError(f"its header tells of {count} bytes where {self.size_bytes - self.place} are left: "
                               "it is cut off, or no such file")  # fmt: skip

    def number(self, form: Struct | str) -> int:
        """Return the next integer, of a format of `struct`."""
        form = form if isinstance(form, Struct) else Struct(form)
        (found,) = form.unpack(self.read(form.size))
        return int(found)

    def floating(self, form: str, size: int) -> float:
        """Return the next float, of a format of `struct`."""
        return float(unpack(form, self.read(size))[0])


def check_plain(path: Path) -> None:
    """Refuse what is no plain file: a pipe would be waited for."""
    if not stat.S_ISREG(os.stat(path).st_mode):
        raise WeightsError("it is no plain file")


def check_ranges(ranges: list[tuple[int, int, str]], of_bytes: int, gapless: bool = False) -> None:
    """Refuse (begin, end, name) of which two overlap, or one ends beyond the data. Gapless: or which leave any out."""
    ranges.sort()
    reached = 0
    for begin, end, name in ranges:
        if begin < reached:
            raise WeightsError(f"the data of {name[:80]!r} overlaps that of another tensor")
        if gapless and begin > reached:
            raise WeightsError(f"there are {begin - reached} bytes before the data of {name[:80]!r} that are nobody's")
        if end > of_bytes:
            raise WeightsError(f"the data of {name[:80]!r} ends {end - of_bytes} bytes behind the file's end: "
                               "it is cut off")  # fmt: skip
        reached = end
    if gapless and reached != of_bytes:
        raise WeightsError(f"there are {of_bytes - reached} bytes at its end that no tensor has")
