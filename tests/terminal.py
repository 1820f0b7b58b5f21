"""The program on a terminal of its own: what it draws is read, and keys are pressed once something stands there."""

import fcntl
import os
import pty
import select
import struct
import subprocess
import termios
import time
from pathlib import Path

from tests.support import environment, program, reap


class Terminal:
    """Use as a context manager. drawn is all that was drawn so far."""

    def __init__(self, *arguments: str, folder: Path, columns: int = 100, lines: int = 30, **more: str):
        self._ours, theirs = pty.openpty()
        fcntl.ioctl(theirs, termios.TIOCSWINSZ, struct.pack("HHHH", lines, columns, 0, 0))
        self.process = subprocess.Popen(
            program(*arguments), cwd=folder, stdin=theirs, stdout=theirs, stderr=theirs, start_new_session=True,
            env=environment(TERM="xterm-256color", **more),
            preexec_fn=lambda: fcntl.ioctl(0, termios.TIOCSCTTY, 0),  # so that Ctrl-C is the program's
        )  # fmt: skip
        os.close(theirs)
        self._drawn, self._since = b"", 0

    def __enter__(self) -> "Terminal":
        return self

    def __exit__(self, *_: object) -> None:
        reap(self.process)
        os.close(self._ours)

    @property
    def drawn(self) -> str:
        return self._drawn.decode("utf-8", "replace")

    def read(self, within_s: float = 0.1) -> bool:
        """Wait so long at most for something to be drawn; False where nothing was, or nobody draws any more."""
        if not select.select([self._ours], [], [], within_s)[0]:
            return False
        try:
            read = os.read(self._ours, 65536)
        except OSError:  # the terminal's other side is closed
            return False
        self._drawn += read
        return bool(read)

    def press(self, keys: str) -> None:
        self._since = len(self._drawn)
        os.write(self._ours, keys.encode())

    def until(self, *texts: str, within_s: float = 60) -> None:
        """Read until one of these was drawn since the last press."""
        wanted, deadline = [text.encode() for text in texts], time.monotonic() + within_s
        while not any(text in self._drawn[self._since :] for text in wanted):
            if not self.read() and (self.process.poll() is not None or time.monotonic() > deadline):
                raise AssertionError(f"none of {texts} was drawn, but {self._drawn[self._since :][-2000:]!r}")

    def quiet(self) -> None:
        """Read until nothing is drawn for a moment: the program waits for a key then."""
        while self.read():
            pass

    def end(self, within_s: float = 60) -> int:
        """Read until the program has ended, and return its exit code."""
        deadline = time.monotonic() + within_s
        while self.read() or (self.process.poll() is None and time.monotonic() < deadline):
            pass
        return self.process.wait(10)
