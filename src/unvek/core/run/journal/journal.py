"""The journal: what the engine and the model's process say, one JSON object a line, as it happens.

It is how anyone who watches learns what goes on: the live view is a process of its own that reads this file, so
that drawing costs the engine nothing. Lines with an `entry` are the engine's own, lines with an `event` are the
model's, as they came.
"""

import json
import os
import stat
from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from time import monotonic_ns
from typing import Any

from unvek.core.held_folder import file_rights_in, open_plain
from unvek.core.run.events.event import parse_event
from unvek.core.run.journal.entries import Continued, Entry, LaunchBegins, PlanBegins, entry_as_json, read_entry

JOURNALS_KEPT = 10
FIRST_PART = "-001"
LARGEST_BYTES = 64 * 2**20
Listener = Callable[[Entry], None]
EventRead = Mapping[str, Any]  # a model's line, whose fields are what they should be


class Journal:
    """Writes the journal, and tells its entries (not the events) to a listener in this process.

    A journal that has grown large is continued in another file, so that a watcher who comes late has little to
    read: `begin_again` is asked for the entry that tells where things stand.
    """

    def __init__(self, path: Path, listener: Listener | None = None, largest_bytes: int = LARGEST_BYTES):
        self.path = path
        self._listener = listener
        self._largest_bytes = largest_bytes
        self._part = 1
        self._fd = self._opened(path)
        self._size = 0
        self.begin_again: Callable[[], PlanBegins] | None = None

    def tell(self, entry: Entry) -> None:
        if isinstance(entry, LaunchBegins) and self._size > self._largest_bytes and self.begin_again is not None:
            self._continue(self.begin_again())
        entry = self._write_entry(entry)
        if self._listener is not None:
            self._listener(entry)

    def pass_on(self, lines: list[bytes]) -> None:
        """Write event lines as they came, in one call."""
        if lines:
            self._write(b"\n".join(lines) + b"\n")

    def close(self) -> None:
        os.close(self._fd)

    def _continue(self, beginning: PlanBegins) -> None:
        self._part += 1
        path = self.path.with_name(f"{self.path.stem.removesuffix(FIRST_PART)}-{self._part:03}.jsonl")
        fd = self._opened(path)
        self._write_entry(Continued(into=path.name))
        os.close(self._fd)
        self._fd, self._size = fd, 0
        self._write_entry(beginning)

    def _opened(self, path: Path) -> int:
        path.parent.mkdir(0o700, parents=True, exist_ok=True)
        for old in sorted(path.parent.glob("*.jsonl"))[: -JOURNALS_KEPT + 1]:
            with suppress(OSError):  # gone, or something else that somebody has put there
                old.unlink()
        return open_plain(path, os.O_WRONLY | os.O_APPEND | os.O_CREAT, file_rights_in(path.parent))

    def _write_entry(self, entry: Entry) -> Entry:
        """Write an entry, and return it with its stamp."""
        stamped = replace(entry, at_ns=monotonic_ns())
        self._write(json.dumps(entry_as_json(stamped), allow_nan=False).encode() + b"\n")
        return stamped

    def _write(self, data: bytes) -> None:
        self._size += len(data)
        while data:  # a disk that is nearly full takes a part
            data = data[os.write(self._fd, data) :]


class JournalReader:
    """Follows a journal that is still being written; a line that is not yet whole is left for later."""

    def __init__(self, path: Path):
        self._path = path
        self._file = os.fdopen(open_plain(path), "rb")
        self._rest = b""

    def read(self, most_bytes: int = 2**22) -> list[Entry | EventRead]:
        """Return the entries and events that have come since the last call, at most so many bytes of them."""
        *lines, self._rest = (self._rest + self._file.read(most_bytes)).split(b"\n")
        found = [content for line in lines if (content := _content_of(line)) is not None]
        if found and isinstance(last := found[-1], Continued):
            found.pop()
            self._follow(last.into)
        return found

    def _follow(self, name: str) -> None:
        """Go on in the next part, which lies beside this one."""
        try:
            file = os.fdopen(open_plain(self._path.with_name(Path(name).name)), "rb")
        except (OSError, ValueError):
            return
        self._file.close()
        self._file, self._rest = file, b""

    def close(self) -> None:
        self._file.close()


def _content_of(line: bytes) -> Entry | EventRead | None:
    """Return what a line holds; None for one that is neither, such as one that a killed engine left half written."""
    try:
        content = json.loads(line)
        if isinstance(content, dict) and "event" in content:  # a model's line may claim to be an entry too
            parse_event(line)
            return content
    except (ValueError, RecursionError):
        return None
    return read_entry(content) if isinstance(content, dict) else None


def latest_journal(folder: Path) -> Path | None:
    """Return the newest journal in a folder, its latest part; None where there is none."""
    return max((path for path in folder.glob("*.jsonl") if _is_plain(path)), default=None)


def _is_plain(path: Path) -> bool:
    try:
        return stat.S_ISREG(path.lstat().st_mode)
    except OSError:
        return False


def journal_name(started_at: str) -> str:
    """Return the name of a journal's first part; names sort by time, and then by part."""
    return started_at.replace(":", "").replace("+0000", "Z") + f"-{os.getpid()}{FIRST_PART}.jsonl"
