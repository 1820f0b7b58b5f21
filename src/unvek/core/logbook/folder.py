"""The logbook's folder: its rooms, its rights and its lock.

It is its owner's alone, unless the owner opens it: what is made in a folder later has the rights that this has then.
"""

import errno
import fcntl
import os
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cached_property
from pathlib import Path
from typing import TextIO

from unvek.core.errors import LogbookBusyError, LogbookError
from unvek.core.held_folder import HeldFolder, file_rights_in, open_plain
from unvek.core.plain_text import clean
from unvek.core.run.outputs_room import ROOM, OutputsRoom

FOLDER_NAME = "logbook"
DATABASE_NAME = "runs.sqlite"
OWNERS = 0o700


class LogbookFolder:
    """The files of a logbook."""

    def __init__(self, path: Path):
        self.path = path

    @property
    def database(self) -> Path:
        return self.path / DATABASE_NAME

    @property
    def journal(self) -> Path:
        return self.path / "journal"

    def make(self) -> None:
        """Make the folder and its rooms; LogbookError where it can't be written."""
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            self.path.mkdir(OWNERS, exist_ok=True)
            rights = self.path.stat().st_mode & 0o777
            for room in (ROOM, "logs", "journal"):
                (self.path / room).mkdir(rights, exist_ok=True)
        except OSError as error:
            raise self._unwritable(error) from error

    def log_path(self, launch: int) -> Path:
        """Return where the log of a launch lies: under another name where something else has this one."""
        return self.path / "logs" / self.logs.free_name(f"L{launch:05}.log")

    @cached_property
    def outputs(self) -> OutputsRoom:
        """The outputs, held open from the first time that they are asked for."""
        return OutputsRoom(self.path)

    @cached_property
    def logs(self) -> HeldFolder:
        return HeldFolder.opened(self.path / "logs")

    def close(self) -> None:
        for held in ("outputs", "logs"):
            if held in vars(self):
                getattr(self, held).close()

    def _lock_file(self) -> TextIO:
        try:
            path = self.path / "lock"
            return os.fdopen(open_plain(path, os.O_RDWR | os.O_CREAT, file_rights_in(self.path)), "r+")
        except OSError as error:
            raise self._unwritable(error) from error

    def _unwritable(self, error: OSError) -> LogbookError:
        return LogbookError(f"the logbook {self.path} can't be made or written: {error.strerror}; choose another place "
                            "with --logbook, or make that folder writable")  # fmt: skip

    @contextmanager
    def locked(self) -> Iterator[None]:
        """Hold the logbook for making runs into it. The lock ends with the process, however that ends."""
        with self._lock_file() as file:
            try:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError as error:
                file.seek(0)
                holder = clean(file.read(20).strip() or "unknown")
                raise LogbookBusyError(
                    f"runs are being made into {self.path} already, by process {holder}; wait for it or stop it"
                ) from error
            file.truncate(0)
            file.write(str(os.getpid()))
            file.flush()
            yield


def told_of_disk(path: Path, error: OSError) -> LogbookError:
    """Word what went wrong with a file of the logbook, so that the user knows what to do."""
    if error.errno in (errno.ENOSPC, errno.EDQUOT, errno.EFBIG):
        return LogbookError(f"the disk of the logbook {path} is full ({error.strerror}). Every run that was kept is "
                            "safe; make room, and the same command goes on")  # fmt: skip
    return LogbookError(f"the logbook {path} can't be written: {error.filename or ''} {error.strerror}")
