"""Digests of files that may be large: read once, and remembered for as long as size, time and place are the same.

What is remembered stands in the user's cache folder, for all plans and logbooks of this machine. It may be thrown
away at any time.
"""

import hashlib
import sqlite3
import stat
from collections.abc import Callable
from contextlib import closing
from errno import EINVAL
from pathlib import Path
from time import time_ns

SETTLED_NS = 2_000_000_000  # a file changed this lately may change again within one tick of the file system's clock
LARGE_BYTES = 200 * 2**20  # worth remembering is anything; worth a word to the user is this
WORD = Callable[[str], None]

_TABLE = """create table if not exists digests (
    path text primary key, size integer, changed_ns integer, inode integer, device integer, digest text)"""


class DigestCache:
    """SHA-256 of files, in hexadecimal. Use as a context manager."""

    def __init__(self, tell: WORD | None = None, folder: Path | None = None):
        self._tell = tell
        self._known = _opened(folder or _users_folder())
        self._fresh: list[tuple[str | int, ...]] = []

    def __enter__(self) -> "DigestCache":
        return self

    def __exit__(self, *_: object) -> None:
        if self._known is not None:
            self._remember_fresh(self._known)
            self._known.close()

    def digest(self, path: Path) -> str:
        """Return a file's digest, from memory where the file is the one that was read before."""
        status = path.stat()
        if not stat.S_ISREG(status.st_mode):
            raise OSError(EINVAL, "it is no plain file", str(path))  # a pipe would be waited for
        print_of_file = (status.st_size, status.st_mtime_ns, status.st_ino, status.st_dev)
        known = self._remembered(path, print_of_file)
        if known is not None:
            return known
        if self._tell is not None and status.st_size >= LARGE_BYTES:
            self._tell(f"reading {path} ({status.st_size / 2**30:.1f} GiB) once, for its digest")
        with open(path, "rb") as file:
            digest = hashlib.file_digest(file, "sha256").hexdigest()
        if time_ns() - status.st_mtime_ns > SETTLED_NS:
            self._fresh.append((str(path), *print_of_file, digest))
        return digest

    def _remembered(self, path: Path, print_of_file: tuple[int, ...]) -> str | None:
        if self._known is None:
            return None
        try:
            row = self._known.execute(
                "select digest from digests "
                "where path = ? and size = ? and changed_ns = ? and inode = ? and device = ?",
                (str(path), *print_of_file),
            ).fetchone()
        except sqlite3.Error:
            return None
        return str(row[0]) if row is not None else None

    def _remember_fresh(self, known: sqlite3.Connection) -> None:
        """Write down what was read, all at once: a transaction for each file takes longer than a small file."""
        try:
            with known:
                known.executemany("insert or replace into digests values (?, ?, ?, ?, ?, ?)", self._fresh)
        except sqlite3.Error:
            pass  # a full or read-only disk: the files are then read again next time


def _users_folder() -> Path:
    from platformdirs import user_cache_path  # here: most commands ask for no digest

    return user_cache_path("unvek")


def _opened(folder: Path) -> sqlite3.Connection | None:
    """Open the memory; None where it can't be had, or is damaged."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        known = sqlite3.connect(folder / "digests.sqlite", timeout=1)
        with closing(known.cursor()) as cursor:
            cursor.execute(_TABLE)
    except (OSError, sqlite3.Error):
        return None
    return known
