"""The logbook's folder: where it is found, its lock, and how outputs come to lie in it."""

import fcntl
import hashlib
import os
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import TextIO

from unvek.core.errors import LogbookBusyError, LogbookError
from unvek.core.plan.model import Plan
from unvek.core.run.events.event import storable

FOLDER_NAME = "logbook"
DATABASE_NAME = "runs.sqlite"
MOST_OUTPUTS = 1000  # files kept of one run


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputFile:
    """A kept file: its path from the logbook's folder, its size and its SHA-256."""

    path: str
    bytes: int
    digest: str


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
            for room in ("outputs", "logs", "journal"):
                (self.path / room).mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise self._unwritable(error) from error

    def log_path(self, launch: int) -> Path:
        return self.path / "logs" / f"L{launch:05}.log"

    def making_path(self, launch: int, place: int) -> Path:
        path = self.path / "outputs" / f".making-L{launch:05}-{place:04}"
        path.mkdir()
        return path

    def clear_unfinished(self) -> None:
        """Remove what runs that were killed had begun to write."""
        for path in (self.path / "outputs").glob(".making-*"):
            shutil.rmtree(path, ignore_errors=True)

    def adopt(self, made: Path, launch: int, place: int) -> tuple[OutputFile, ...]:
        """Make a run's finished outputs durable, and give their folder its lasting name.

        Only plain files count: a link is never followed, so nothing from outside comes in.
        """
        files = sorted(path for path in made.rglob("*") if path.is_file() and not path.is_symlink())[:MOST_OUTPUTS]
        files = [_with_storable_name(file, made) for file in files]
        if not files:
            shutil.rmtree(made, ignore_errors=True)
            return ()
        lasting = self.path / "outputs" / f"L{launch:05}-{place:04}"
        kept = tuple(
            OutputFile(
                path=str((lasting / file.relative_to(made)).relative_to(self.path)),
                bytes=file.stat().st_size,
                digest=_digest_once_on_disk(file),
            )
            for file in files
        )
        made.rename(lasting)
        _sync(lasting.parent)
        return kept

    def _lock_file(self) -> TextIO:
        try:
            return open(self.path / "lock", "a+")
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
                holder = file.read(20).strip() or "unknown"
                raise LogbookBusyError(
                    f"runs are being made into {self.path} already, by process {holder}; wait for it or stop it"
                ) from error
            file.truncate(0)
            file.write(str(os.getpid()))
            file.flush()
            yield


def logbook_beside(plan: Plan) -> Path:
    """Return where a plan's logbook lies when nobody says otherwise."""
    return plan.folder / FOLDER_NAME


def find_logbook(start: Path) -> Path:
    """Return the logbook folder in this folder or the nearest one above it; LogbookError where there is none."""
    for folder in (start.absolute(), *start.absolute().parents):
        if (folder / FOLDER_NAME / DATABASE_NAME).is_file():
            return folder / FOLDER_NAME
    raise LogbookError(
        f"there is no {FOLDER_NAME}/ in {start.absolute()} or above it; make one with 'unvek run PLAN', or say where "
        "it is with --logbook"
    )


def _with_storable_name(file: Path, made: Path) -> Path:
    """Rename a file whose path is no UTF-8, since such a path can be neither stored nor shown."""
    within = str(file.relative_to(made))
    return file if storable(within) == within else file.rename(made / storable(file.name))


def _digest_once_on_disk(path: Path) -> str:
    with open(path, "rb") as file:
        os.fsync(file.fileno())
        return hashlib.file_digest(file, "sha256").hexdigest()


def _sync(folder: Path) -> None:
    fd = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(fd)
    finally:
        os.close(fd)
