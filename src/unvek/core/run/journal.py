"""The journal: what the engine and the model's process say, one JSON object a line, as it happens.

It is how anyone who watches learns what goes on: the live view is a process of its own that reads this file, so
that drawing costs the engine nothing. Lines with an `entry` are the engine's own, lines with an `event` are the
model's, as they came.
"""

import json
import os
from collections.abc import Callable, Mapping
from pathlib import Path
from time import monotonic_ns
from typing import Any

JOURNALS_KEPT = 10
Entry = Mapping[str, Any]
Listener = Callable[[Entry], None]


class Journal:
    """Writes the journal, and tells its entries (not the events) to a listener in this process."""

    def __init__(self, path: Path, listener: Listener | None = None):
        path.parent.mkdir(parents=True, exist_ok=True)
        for old in sorted(path.parent.glob("*.jsonl"))[: -JOURNALS_KEPT + 1]:
            old.unlink(missing_ok=True)
        self.path = path
        self._file = open(path, "ab", buffering=0)  # noqa: SIM115, closed by close()
        self._listener = listener

    def tell(self, entry: str, **content: Any) -> None:
        whole = {"entry": entry, "at_ns": monotonic_ns(), **content}
        self._file.write(json.dumps(whole, allow_nan=False).encode() + b"\n")
        if self._listener is not None:
            self._listener(whole)

    def pass_on(self, lines: list[bytes]) -> None:
        """Write event lines as they came, in one call."""
        self._file.write(b"\n".join(lines) + b"\n")

    def close(self) -> None:
        self._file.close()


class JournalReader:
    """Follows a journal that is still being written; a line that is not yet whole is left for later."""

    def __init__(self, path: Path):
        self._file = open(path, "rb")  # noqa: SIM115, closed by close()
        self._rest = b""

    def read(self, most_bytes: int = 2**22) -> list[dict[str, Any]]:
        """Return the entries and events that have come since the last call, at most so many bytes of them."""
        *lines, self._rest = (self._rest + self._file.read(most_bytes)).split(b"\n")
        found = []
        for line in lines:
            try:
                content = json.loads(line)
            except (ValueError, RecursionError):
                continue  # a line that a killed engine left half written
            if isinstance(content, dict):
                found.append(content)
        return found

    def close(self) -> None:
        self._file.close()


def journal_name(started_at: str) -> str:
    """Return a file name that sorts by time."""
    return started_at.replace(":", "").replace("+0000", "Z") + f"-{os.getpid()}.jsonl"
