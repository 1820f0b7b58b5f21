"""Controls for whoever watches: what they ask of the engine, as lines in a file beside the journal.

A file, so that any number of watchers can ask, from any terminal, with no more right than that of writing into the
logbook; the engine reads it five times a second at the price of one stat().
"""

import os
from pathlib import Path

from unvek.core.held_folder import open_plain

SKIP, STOP_AFTER, PAUSE, GO_ON = "skip", "stop after this run", "pause", "go on"
CONTROLS = (SKIP, STOP_AFTER, PAUSE, GO_ON)
MOST_BYTES = 4096


def send_control(path: Path, what: str) -> bool:
    """Ask for something; False where nobody can be asked any more (the file is gone, or not ours to write)."""
    try:
        fd = os.open(path, os.O_WRONLY | os.O_APPEND | os.O_NOFOLLOW)
    except OSError:
        return False
    try:
        os.write(fd, what.encode() + b"\n")
    finally:
        os.close(fd)
    return True


class ControlReader:
    """The engine's side: makes the file, reads what is new, and takes the file away at the end."""

    def __init__(self, path: Path):
        self.path = path
        self._read = 0
        path.touch(mode=0o600)

    def new(self) -> list[str]:
        """Return what has been asked since the last time, in order. Anything that can't be asked is passed over."""
        try:
            if os.stat(self.path).st_size <= self._read:
                return []
            with os.fdopen(open_plain(self.path), "rb") as file:
                file.seek(self._read)
                data = file.read(MOST_BYTES)
        except OSError:
            return []
        self._read += len(data)
        return [line for line in data.decode("utf-8", "replace").splitlines() if line in CONTROLS]

    def close(self) -> None:
        self.path.unlink(missing_ok=True)
