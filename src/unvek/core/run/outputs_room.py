"""The outputs of a logbook: a folder for each run, made before it, and taken with what the run has put there.

A run may put anything there, and put something else in the folder's own place. Nothing is followed out of the logbook,
nothing outside is read or changed, and what can't be an output is refused with a word.
"""

import errno
import hashlib
import io
import os
import shutil
from collections.abc import Callable, Container, Iterable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO, NamedTuple, cast
from uuid import uuid4

from unvek.core.held_folder import HeldFolder, open_plain, remove
from unvek.core.plain_text import clean

MAKING, ROOM = ".making-", "outputs"
MOST_OUTPUTS = 1000  # files kept of one run
MOST_TOLD = 20  # of what was refused
LARGEST_TEXT = 16 * 2**20  # bytes of a file that a secret is taken out of
AT_A_TIME, OVERLAP = 2**20, 2**12
REPLACED = "the folder for its outputs was replaced by something else: none of them was kept"

OF_DISK = (errno.ENOSPC, errno.EDQUOT, errno.EFBIG, errno.EIO, errno.EROFS)

Hide = Callable[[bytes], bytes]


class NoOutputError(Exception):
    """Why a file can't be kept as an output. Most are left where they lie; one that `tells` a secret is removed."""

    def __init__(self, why: str, tells: bool = False):
        super().__init__(why)
        self.tells = tells


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputFile:
    """A kept file: its path from the logbook's folder, its size and its SHA-256."""

    path: str
    bytes: int
    digest: str


class Taken(NamedTuple):
    """What came of a run's folder: its outputs, what of it was refused and why, and why none could be had at all."""

    files: tuple[OutputFile, ...] = ()
    refused: tuple[str, ...] = ()
    error: str | None = None


class MakingFolder:
    """The folder that a run puts its outputs into. It is opened anew each time: the run may have made another."""

    def __init__(self, room: HeldFolder, name: str):
        self._room = room
        self.name = name
        self.path = room.path / name

    def held(self) -> HeldFolder:
        """Open it; OSError where something else stands in its place."""
        return HeldFolder.opened(self.path, self._room.fd)

    def bytes(self) -> int:
        """Return the size of the files in it together, within bounds."""
        try:
            with self.held() as folder:
                return folder.bytes()
        except OSError:
            return 0


class OutputsRoom:
    """The folder `outputs`, held for as long as runs are made: it is not looked up anew after a model has run."""

    def __init__(self, logbook: Path):
        self._held = HeldFolder.opened(logbook / ROOM)
        self._mode = os.fstat(self._held.fd).st_mode & 0o777

    def close(self) -> None:
        self._held.close()

    def make(self, launch: int, place: int) -> MakingFolder:
        name = self._held.free_name(f"{MAKING}{_name(launch, place)}")
        os.mkdir(name, self._mode, dir_fd=self._held.fd)
        return MakingFolder(self._held, name)

    def newest_launch(self) -> int:
        """Return the number of the newest launch of which there is a folder here; 0 where there is none."""
        numbers = (name.partition("-")[0].removeprefix("L") for name in os.listdir(self._held.fd) if name[0] == "L")
        return max((int(number) for number in numbers if number.isdecimal()), default=0)

    def clear(self, launch: int, places: Container[int]) -> None:
        """Remove what runs had put here that were killed: unfinished, or of the latest launch and no run of it.

        Of that launch `places` are those of its runs: a kill strikes one run, and no earlier launch has any left.
        """
        of_launch = f"L{launch:05}-"
        for name in os.listdir(self._held.fd):
            place = name.removeprefix(of_launch)
            is_left = name.startswith(of_launch) and place.isdecimal() and int(place) not in places
            if is_left or name.startswith(MAKING):
                with suppress(OSError):
                    remove(name, self._held.fd)

    def drop(self, names: Iterable[str]) -> None:
        """Remove folders of outputs that are no run's after all."""
        for name in names:
            with suppress(OSError):
                remove(name, self._held.fd)

    def take(self, making: MakingFolder, launch: int, place: int, hide: Hide | None = None) -> Taken:
        """Make a run's outputs durable, and give their folder its lasting name. What is no output is removed.

        hide takes secrets out of bytes: of names, and of files that are text; other files with a secret are refused.
        OSError where the disk can't be written.
        """
        try:
            folder = making.held()
        except OSError:
            self._drop(making)
            return Taken(error=REPLACED)
        lasting = self._held.free_name(_name(launch, place))
        with folder:
            taking = _Taking(folder, f"{ROOM}/{lasting}", self._mode, hide)
            files = taking.files()
        if not taking.holds_any:
            self._drop(making)
            return Taken(refused=taking.refused)
        try:
            os.rename(making.name, lasting, src_dir_fd=self._held.fd, dst_dir_fd=self._held.fd)
        except OSError as error:
            _raise_of_disk(error)
            return Taken(refused=taking.refused, error=f"its outputs can't be kept: {error.strerror}")
        os.fsync(self._held.fd)
        return Taken(tuple(files), taking.refused)

    def _drop(self, making: MakingFolder) -> None:
        with suppress(OSError):  # what can't be removed now is tried again by the next start
            remove(making.name, self._held.fd)


class _Taking:
    """Goes through one run's folder. `holds_any`: there was a plain file, kept or not."""

    def __init__(self, folder: HeldFolder, lasting: str, mode: int, hide: Hide | None):
        self._folder, self._lasting, self._mode, self._hide = folder, lasting, mode, hide
        self._told: list[str] = []
        self._more = 0
        self._telling_folders: set[str] = set()  # whose names held a secret
        self.holds_any = False

    @property
    def refused(self) -> tuple[str, ...]:
        return (*self._told, *((f"and {self._more} more",) if self._more else ()))

    def files(self) -> list[OutputFile]:
        os.fchmod(self._folder.fd, self._mode)
        kept: list[OutputFile] = []
        for found in sorted(self._folder.found(), key=lambda found: found.path):
            if found.what is not None:
                self._refuse(found.path, found.what)
                if found.path:
                    self._folder.remove(found.path)
                continue
            self.holds_any = True
            if len(kept) == MOST_OUTPUTS:
                self._refuse(found.path, f"one of more than {MOST_OUTPUTS} files")
                continue
            try:
                kept.append(self._kept(found.path))
            except NoOutputError as error:
                self._refuse(found.path, str(error))
                if error.tells:
                    self._folder.remove(found.path)
            except OSError as error:
                _raise_of_disk(error)
                self._refuse(found.path, f"something that can't be kept ({error.strerror})")
        for name in self._telling_folders:
            self._folder.remove(name)
        return sorted(kept, key=lambda file: file.path)

    def _refuse(self, path: str, what: str) -> None:
        if len(self._told) == MOST_TOLD:
            self._more += 1
            return
        name = path.encode("utf-8", "surrogateescape")
        shown = clean((self._hide(name) if self._hide is not None else name).decode("utf-8", "backslashreplace"), 200)
        self._told.append(f"{shown}: {what}" if shown else what)

    def _kept(self, path: str) -> OutputFile:
        """Return a file as it is kept; NoOutputError where it can't be."""
        try:
            path.encode()
        except UnicodeEncodeError as error:
            raise NoOutputError("a name that is no UTF-8") from error
        path = self._without_secret(path)
        with self._folder.folder_of(path) as (folder, name):
            try:
                fd = open_plain(name, folder=folder)
            except OSError as error:
                raise NoOutputError(f"something that can't be read ({error.strerror})") from error
            with os.fdopen(fd, "rb") as file:
                status = os.fstat(file.fileno())
                text = self._told_in(file, status.st_size)
                if text is None and status.st_nlink == 1:
                    return self._durable(path, file)
            # It has another name somewhere outside, where nothing may change, or a text that is kept otherwise.
            with _replaced(name, folder, text) as file:
                return self._durable(path, file)

    def _without_secret(self, path: str) -> str:
        """Return a path without any secret in it: a file whose path holds one gets another name, at the top."""
        hidden = self._hide(path.encode()).decode("utf-8", "replace") if self._hide is not None else path
        if hidden == path:
            return path
        other = hidden.replace("/", "-")
        with self._folder.folder_of(path) as (folder, name):
            os.rename(name, other, src_dir_fd=folder, dst_dir_fd=self._folder.fd)
        if "/" in path:
            self._telling_folders.add(path.partition("/")[0])
        return other

    def _told_in(self, file: BinaryIO, size: int) -> bytes | None:
        """Return a text without the secrets that it holds; None where there are none. NoOutputError for other files."""
        if self._hide is None:
            return None
        if size <= LARGEST_TEXT:
            data = file.read()
            hidden = self._hide(data)
            if hidden == data:
                return None
            try:
                data.decode()
            except UnicodeDecodeError as error:
                raise NoOutputError("a file that holds a secret", tells=True) from error
            return hidden
        before = b""
        while piece := file.read(AT_A_TIME):
            if self._hide(before + piece) != before + piece:
                raise NoOutputError("a large file that holds a secret", tells=True)
            before = piece[-OVERLAP:]
        return None

    def _durable(self, path: str, file: BinaryIO) -> OutputFile:
        os.fchmod(file.fileno(), self._mode & 0o666)
        os.fsync(file.fileno())
        file.seek(0)
        digest = hashlib.file_digest(cast(io.BufferedReader, file), "sha256").hexdigest()
        return OutputFile(path=f"{self._lasting}/{path}", bytes=file.tell(), digest=digest)


@contextmanager
def _replaced(name: str, folder: int, content: bytes | None) -> Iterator[BinaryIO]:
    """Put a file of this content, or else a copy of it, in the place of a file; give it, open."""
    copy = f".copy-{uuid4().hex}"
    fd = open_plain(copy, os.O_RDWR | os.O_CREAT | os.O_EXCL, folder=folder)
    with os.fdopen(fd, "w+b") as file:
        if content is not None:
            file.write(content)
        else:
            with os.fdopen(open_plain(name, folder=folder), "rb") as source:
                shutil.copyfileobj(source, file)
        file.flush()
        os.rename(copy, name, src_dir_fd=folder, dst_dir_fd=folder)
        yield file


def _raise_of_disk(error: OSError) -> None:
    """Raise an error that is the disk's, which no other run can do about; any other comes of what a run put there."""
    if error.errno in OF_DISK:
        raise error


def _name(launch: int, place: int) -> str:
    return f"L{launch:05}-{place:04}"
