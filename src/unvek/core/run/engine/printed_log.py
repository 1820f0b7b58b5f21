"""What a model's process prints: it goes into a file, is kept within bounds there, and is read back as text.

A process without secrets prints into the file itself, which costs nobody anything. One that was given secrets prints
into a pipe, and what comes out of it is written without them: nothing else is ever on the disk, whoever is killed when.
"""

import fcntl
import os
import termios
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from select import select
from struct import unpack
from threading import Lock, Thread
from time import monotonic, sleep

from unvek.core.ask.secrets import Secrets
from unvek.core.held_folder import file_rights_in, open_plain

LARGEST_LOG_BYTES = 64 * 2**20
TAIL_BYTES = 8 * 2**10
TAIL_LINES = 40
AT_ONCE = 2**16
SETTLES_WITHIN_S, LOOK_EVERY_S = 1.0, 0.001


class PrintedLog:
    """The log of one launch. Its processes append to it; the engine only reads, and shortens it where it runs over."""

    def __init__(self, path: Path, secrets: Secrets | None = None, folder: int | None = None):
        """folder: the descriptor of the folder that it lies in, where somebody may put another in its place."""
        self.path = path
        self._name = path if folder is None else path.name
        self._folder = folder
        self._secrets = secrets or Secrets(())
        self._start = 0
        self._stream = self._secrets.stream()
        self._fd = -1
        self._lock = Lock()
        self._pipes: list[_Pipe] = []

    @contextmanager
    def writing_end(self) -> Iterator[int]:
        """Give the descriptor that a process is to print into, for as long as it is being started."""
        if not self._secrets:
            fd = self._opened()
        else:
            reading, fd = os.pipe()
            self._pipes.append(_Pipe(reading, self._lock, self._append))
        try:
            yield fd
        finally:
            os.close(fd)

    def write(self, data: bytes) -> None:
        """Append what was printed elsewhere."""
        with self._lock:
            self._append(data)

    def _append(self, data: bytes) -> None:
        self._write(self._stream.feed(data))

    def _write(self, clean: bytes) -> None:
        if clean and self._fd < 0:
            self._fd = self._opened()
        while clean:
            clean = clean[os.write(self._fd, clean) :]

    def _opened(self) -> int:
        rights = file_rights_in(self.path.parent) if self._folder is None else os.fstat(self._folder).st_mode & 0o666
        return open_plain(self._name, os.O_WRONLY | os.O_APPEND | os.O_CREAT, rights, self._folder)

    def mark(self) -> None:
        """What is printed from here on belongs to the run that begins."""
        self._settle()
        self._start = self._size()

    @property
    def printed_bytes(self) -> int:
        """How much was printed since the mark, as far as it has come."""
        return max(0, self._size() - self._start)

    def tail(self) -> str:
        """Return the last lines printed since the mark."""
        self._settle()
        size = self._size()
        start = max(min(self._start, size), size - TAIL_BYTES)
        try:
            with os.fdopen(open_plain(self._name, folder=self._folder), "rb") as file:
                file.seek(start)
                text = file.read(TAIL_BYTES).decode("utf-8", "replace")
        except OSError:
            return ""
        return self._secrets.hide_text("\n".join(text.splitlines()[-TAIL_LINES:]))

    def keep_within_bounds(self) -> None:
        """Empty the file if it has grown beyond all use; the process appends, so it simply goes on from the start."""
        if self._size() > LARGEST_LOG_BYTES:
            tail = self.tail()
            with os.fdopen(open_plain(self._name, os.O_RDWR, folder=self._folder), "r+b") as file:
                file.truncate()
                file.write(
                    f"[more than {LARGEST_LOG_BYTES} bytes were printed; these were the last]\n{tail}\n".encode()
                )
            self._start = 0

    def close(self) -> None:
        """Write what is left, once all processes that print have ended."""
        for pipe in self._pipes:
            pipe.close()
        self._pipes = []
        self._settle()
        if self._fd >= 0:
            os.close(self._fd)
            self._fd = -1

    def _settle(self) -> None:
        """Have in the file what has been printed by now, with what was held back of it."""
        for pipe in self._pipes:
            pipe.settle()
        with self._lock:
            self._write(self._stream.rest())

    def _size(self) -> int:
        try:
            return os.stat(self._name, dir_fd=self._folder, follow_symlinks=False).st_size
        except OSError:
            return 0


class _Pipe:
    """A pipe that a process prints into. A thread takes what comes at once, so that nobody waits who prints."""

    def __init__(self, reading: int, lock: Lock, take: Callable[[bytes], None]):
        """take is handed what comes, under the lock."""
        self._reading, self._lock, self._take = reading, lock, take
        self._thread = Thread(target=self._read, daemon=True)
        self._thread.start()

    def _read(self) -> None:
        while select([self._reading], [], [])[0]:
            with self._lock:  # what has left the pipe is written before anybody else has the lock
                data = os.read(self._reading, AT_ONCE)
                if not data:
                    return
                try:
                    self._take(data)
                except OSError:
                    pass  # a full disk: the runs are told of it where they are kept

    def settle(self) -> None:
        """Wait until what has been printed by now is written; not for ever, since more may come all the time."""
        until_s = monotonic() + SETTLES_WITHIN_S
        while self._thread.is_alive() and self._holds_any() and monotonic() < until_s:
            sleep(LOOK_EVERY_S)

    def _holds_any(self) -> bool:
        (count,) = unpack("i", fcntl.ioctl(self._reading, termios.FIONREAD, bytes(4)))
        return bool(count)

    def close(self) -> None:
        """Take the rest: nobody prints any more, or whoever does is not heard."""
        self._thread.join(SETTLES_WITHIN_S)
        if not self._thread.is_alive():
            os.close(self._reading)
