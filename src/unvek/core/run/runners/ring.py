"""The engine's end of the shared memory in which a model's process lays its events (see unvek.probe.probe)."""

import mmap
import os
import sys
import tempfile

from unvek.probe.probe import HEADER_BYTES, READ, ROOM_BYTES, WRITTEN, counts_of


class RingReader:
    """Reads what has been laid down since the last reading. `fd` is what the model's process is to be given."""

    def __init__(self) -> None:
        self.fd = _memory_file()
        os.ftruncate(self.fd, HEADER_BYTES + ROOM_BYTES)
        self._map = mmap.mmap(self.fd, HEADER_BYTES + ROOM_BYTES)
        self._counts = counts_of(self._map)
        self._read = 0

    @property
    def holds_more(self) -> bool:
        return 0 < self._fresh_bytes() <= ROOM_BYTES

    def read(self, most_bytes: int = 2**19) -> bytes:
        """Return new bytes, so many at most. A count that can't be (a script gone wild) yields none."""
        if not self.holds_more:
            return b""
        fresh = min(self._fresh_bytes(), most_bytes)
        start = self._read % ROOM_BYTES
        first = min(fresh, ROOM_BYTES - start)
        data = self._map[HEADER_BYTES + start : HEADER_BYTES + start + first]
        data += self._map[HEADER_BYTES : HEADER_BYTES + fresh - first]
        self._read += fresh
        self._counts[READ] = self._read
        return data

    def close(self) -> None:
        self._counts.release()
        self._map.close()
        os.close(self.fd)

    def _fresh_bytes(self) -> int:
        return self._counts[WRITTEN] - self._read


def _memory_file() -> int:
    """Return a file that lies in memory and has no name; elsewhere than on Linux a temporary one without a name."""
    if sys.platform == "linux":
        return os.memfd_create("unvek-events")
    fd, path = tempfile.mkstemp(prefix="unvek-events-")
    os.unlink(path)
    return fd
