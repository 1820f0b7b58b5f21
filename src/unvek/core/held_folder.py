"""A folder that somebody else writes into, and plain files among what may be none: never left through a link.

Who runs beside us may put a link, a pipe or a folder of a thousand levels wherever it can write. All here is opened
relative to a folder that is held open, without following a link and without waiting for anybody.
"""

import os
import stat
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from errno import EINVAL, ETIMEDOUT
from itertools import islice
from pathlib import Path
from time import monotonic
from uuid import uuid4

from unvek.core.plain_text import clean

DEEPEST = 32  # folders within folders
MOST_FOUND = 10_000
AT_A_TIME = 1000
REMOVED_WITHIN_S = 20.0
FOLDER_FLAGS = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC
FILE_FLAGS = os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC
WHAT = {
    stat.S_IFLNK: "a link", stat.S_IFIFO: "a pipe", stat.S_IFSOCK: "a socket", stat.S_IFCHR: "a device",
    stat.S_IFBLK: "a device",
}  # fmt: skip
TOO_DEEP = f"a folder more than {DEEPEST} levels down"
TOO_MANY = f"more than {MOST_FOUND} files and folders"


def open_plain(path: str | Path, flags: int = os.O_RDONLY, mode: int = 0o600, folder: int | None = None) -> int:
    """Open a plain file; OSError where it is a link, a pipe or anything else, which is neither followed nor waited for.

    folder is the descriptor of the folder that a relative path starts from.
    """
    try:
        fd = os.open(path, flags | FILE_FLAGS, mode, dir_fd=folder)
    except ValueError as error:  # a zero byte in it
        raise OSError(EINVAL, f"no path ({error})", clean(path)) from error
    if not stat.S_ISREG(os.fstat(fd).st_mode):
        os.close(fd)
        raise OSError(EINVAL, "it is no plain file", os.fspath(path))
    return fd


def read_plain(path: Path, most: int) -> bytes:
    """Return what is in a plain file, so many bytes at most; OSError as for `open_plain`."""
    with os.fdopen(open_plain(path), "rb") as file:
        return file.read(most)


def file_rights_in(folder: Path) -> int:
    """Return the rights of files that are made in a folder: whoever may go into it may read them, and nobody else."""
    return folder.stat().st_mode & 0o666


@dataclass(frozen=True, slots=True)
class Found:
    """Something within the folder: its path from there, its size, and what it is where it is no plain file.

    A path that is no UTF-8 has surrogates in the places of the bytes, as Python gives it.
    """

    path: str
    bytes: int = 0
    what: str | None = None


class HeldFolder:
    """A folder, held open. Use as a context manager, or close it."""

    def __init__(self, fd: int, path: Path):
        """path is where it lay when it was opened, for words and for who may go there by himself."""
        self.fd = fd
        self.path = path

    @classmethod
    def opened(cls, path: Path, folder: int | None = None) -> "HeldFolder":
        """Open a folder, by its name alone where `folder` is the descriptor of the one it lies in."""
        return cls(os.open(path if folder is None else path.name, FOLDER_FLAGS, dir_fd=folder), path)

    def close(self) -> None:
        os.close(self.fd)

    def __enter__(self) -> "HeldFolder":
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def free_name(self, name: str) -> str:
        """Return a name that nothing in it has: this one, or one that nobody can foresee where this is taken."""
        try:
            os.stat(name, dir_fd=self.fd, follow_symlinks=False)
        except FileNotFoundError:
            return name
        stem, ending = os.path.splitext(name)
        return f"{stem}-{uuid4().hex}{ending}"

    def found(self) -> Iterator[Found]:
        """Yield what is in it, within bounds: what lies beyond these is yielded once, as what it is."""
        for count, found in enumerate(_within(self.fd, "", 0), 1):
            if count > MOST_FOUND:
                yield Found("", what=TOO_MANY)
                return
            if found is not None:
                yield found

    def bytes(self) -> int:
        """Return the size of the files in it together, as far as they lie within the bounds."""
        return sum(found.bytes for found in self.found())

    @contextmanager
    def folder_of(self, path: str) -> Iterator[tuple[int, str]]:
        """Hold the folder that something lies in, and give its descriptor and the thing's own name."""
        *folders, name = path.split("/")
        fd = os.dup(self.fd)
        try:
            for folder in folders:
                inner = os.open(folder, FOLDER_FLAGS, dir_fd=fd)
                os.close(fd)
                fd = inner
            yield fd, name
        finally:
            os.close(fd)

    def open(self, path: str) -> int:
        """Open a plain file in it to be read; OSError where it is something else by now."""
        with self.folder_of(path) as (folder, name):
            return open_plain(name, folder=folder)

    def remove(self, path: str) -> None:
        """Remove something in it, whatever it is, with all that is in that. What can't be removed is left."""
        with suppress(OSError), self.folder_of(path) as (folder, name):
            remove(name, folder)


def _within(folder: int, before: str, depth: int) -> Iterator[Found | None]:
    """Yield what lies in a folder and in its folders, and None for each of these."""
    with os.scandir(folder) as entries:
        for entry in entries:
            path = before + entry.name
            try:
                status = entry.stat(follow_symlinks=False)
                kind = stat.S_IFMT(status.st_mode)
                if kind == stat.S_IFREG:
                    yield Found(path, status.st_size)
                elif kind != stat.S_IFDIR:
                    yield Found(path, what=WHAT.get(kind, "no plain file"))
                elif depth == DEEPEST:
                    yield Found(path, what=TOO_DEEP)
                else:
                    yield None
                    with HeldFolder.opened(Path(entry.name), folder) as inner:
                        yield from _within(inner.fd, path + "/", depth + 1)
            except FileNotFoundError:
                continue  # gone meanwhile
            except OSError as error:
                yield Found(path, what=f"something that can't be read ({error.strerror})")


def remove(name: str, folder: int) -> None:
    """Remove a file, a link or a folder with all that is in it, however deep that goes; OSError where that fails.

    A folder's folders are moved up to its top and emptied there, one after the other: a path of a thousand levels is
    longer than a system takes, and a call for each level more than Python does. Who goes on filling it is given up on.
    """
    if not stat.S_ISDIR(os.stat(name, dir_fd=folder, follow_symlinks=False).st_mode):
        os.unlink(name, dir_fd=folder)
        return
    with HeldFolder.opened(Path(name), folder) as top:
        moved, until_s = 0, monotonic() + REMOVED_WITHIN_S
        while entries := _some(top.fd, until_s):
            for entry in entries:
                if entry.is_dir(follow_symlinks=False):
                    moved = _empty_into(top.fd, entry.name, moved, until_s)
                    os.rmdir(entry.name, dir_fd=top.fd)
                else:
                    os.unlink(entry.name, dir_fd=top.fd)
    os.rmdir(name, dir_fd=folder)


def _empty_into(top: int, name: str, moved: int, until_s: float) -> int:
    """Take all out of a folder at the top: its folders are moved there, under names counted on from `moved`."""
    with HeldFolder.opened(Path(name), top) as inner:
        while entries := _some(inner.fd, until_s):
            for entry in entries:
                if entry.is_dir(follow_symlinks=False):
                    moved += 1
                    os.rename(entry.name, f".moved-{os.getpid()}-{moved}", src_dir_fd=inner.fd, dst_dir_fd=top)
                else:
                    os.unlink(entry.name, dir_fd=inner.fd)
    return moved


def _some(folder: int, until_s: float) -> "list[os.DirEntry[str]]":
    """Return some of what is in a folder; OSError where it is too late."""
    if monotonic() > until_s:
        raise OSError(ETIMEDOUT, os.strerror(ETIMEDOUT))
    with os.scandir(folder) as entries:
        return list(islice(entries, AT_A_TIME))
