"""One benchmark at a time on a machine, and nothing measured of outputs meanwhile: a lock, and word of who holds it.

The lock ends with the process that holds it. It is taken on a file that all users of the machine share; what stands in
the file is only word, and is checked like anything that comes from outside.
"""

import fcntl
import getpass
import json
import os
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from time import monotonic, sleep
from typing import Any

from unvek.core.errors import LogbookError, MachineBusyError
from unvek.core.held_folder import open_plain
from unvek.core.plain_text import clean

VARIABLE = "UNVEK_MACHINE_LOCK"  # another file, for a container or a test that is a machine of its own
MOST_BYTES = 16 * 2**10
LONGEST_WORDS, LARGEST_PID = 200, 2**31
MAKING_RUNS, MEASURING = "making runs", "measuring"  # what the machine is held for
TRY_FOR_S = 0.3  # somebody who only looks holds the lock for an instant
LOOK_EVERY_S = 0.2


@dataclass(frozen=True, slots=True, kw_only=True)
class Holder:
    """Who makes runs, or measures, on this machine now, as far as they have said: words of somebody else, clean."""

    pid: int | None = None
    user: str | None = None
    title: str | None = None
    journal: Path | None = None
    since: str | None = None
    doing: str | None = None

    @property
    def measures(self) -> bool:
        """Whether it looks at outputs, which is soon over, and makes no runs."""
        return self.doing == MEASURING

    def words(self) -> str:
        who = f"process {self.pid or 'unknown'} of {self.user or 'an unknown user'}"
        what = f", {self.title!r}" if self.title else ""
        return f"{who}{what}, since {self.since or 'an unknown time'}"


class MachineLock:
    """The machine, held."""

    def __init__(self, fd: int, title: str, doing: str):
        self._fd = fd
        self._told: dict[str, Any] = {
            "pid": os.getpid(), "user": _user(), "title": title, "since": _now(), "doing": doing,
        }  # fmt: skip
        self._write()

    def tell_journal(self, journal: Path) -> None:
        """Say where those who want to watch find the journal."""
        self._told["journal"] = str(journal)
        self._write()

    def _write(self) -> None:
        data = json.dumps(self._told).encode()
        os.ftruncate(self._fd, 0)
        os.pwrite(self._fd, data, 0)


@contextmanager
def held_machine(
    title: str, wait: bool = False, on_wait: Callable[[Holder], None] | None = None, doing: str = MAKING_RUNS
) -> Iterator[MachineLock]:
    """Hold the machine. Where it is held already: wait, telling once for whom, or raise MachineBusyError.

    Who measures outputs is waited for in any case.
    """
    fd = _opened()
    try:
        give_up_at_s = monotonic() + TRY_FOR_S
        told = False
        while not _locked(fd):
            if monotonic() > give_up_at_s:
                who = _said(fd)
                if not (wait or who.measures):
                    raise MachineBusyError(
                        f"runs are being made on this machine already, by {who.words()}. Two things at a time would "
                        "disturb each other: add --wait to wait for the end, or watch with 'unvek watch'"
                    )
                if not told and on_wait is not None:
                    on_wait(who)
                told = True
            sleep(LOOK_EVERY_S if told else 0.02)
        yield MachineLock(fd, title, doing)
    finally:
        os.close(fd)


def holder() -> Holder | None:
    """Return who holds the machine now; None where nobody does."""
    try:
        fd = open_plain(_path())
    except OSError:
        return None
    try:
        return None if _locked(fd, fcntl.LOCK_SH) else _said(fd)
    finally:
        os.close(fd)


def _path() -> Path:
    shared = Path("/tmp") if os.access("/tmp", os.W_OK) else Path(tempfile.gettempdir())
    return Path(os.environ.get(VARIABLE) or shared / "unvek.lock")


def _opened() -> int:
    """Open the file, made where there is none, so that every user can take the lock and write who holds it."""
    path = _path()
    try:
        try:
            return open_plain(path, os.O_RDWR)
        except FileNotFoundError:
            fd = open_plain(path, os.O_RDWR | os.O_CREAT, 0o666)
            os.fchmod(fd, 0o666)
            return fd
    except OSError as error:
        raise LogbookError(f"the machine's lock {path} can't be opened: {error.strerror}; remove it, or name another "
                           f"file in {VARIABLE}") from error  # fmt: skip


def _locked(fd: int, how: int = fcntl.LOCK_EX) -> bool:
    try:
        fcntl.flock(fd, how | fcntl.LOCK_NB)
    except BlockingIOError:
        return False
    return True


def _said(fd: int) -> Holder:
    """Return what the holder wrote; a file with anything else in it says nothing."""
    try:
        content = json.loads(os.pread(fd, MOST_BYTES, 0))
    except (OSError, ValueError, RecursionError):
        return Holder()
    if not isinstance(content, dict):
        return Holder()
    texts = {
        name: clean(content[name], LONGEST_WORDS) for name in ("user", "title", "since", "doing") if content.get(name)
    }
    pid, journal = content.get("pid"), content.get("journal")
    return Holder(
        pid=pid if type(pid) is int and 0 < pid <= LARGEST_PID else None,
        journal=Path(journal) if isinstance(journal, str) and "\0" not in journal else None,
        **texts,
    )


def _user() -> str:
    try:
        return getpass.getuser()
    except (KeyError, OSError):
        return str(os.getuid())


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="seconds")
