"""Texts."""

import hashlib

from unvek.core.evidence.outputs.source import Source
from unvek.core.logbook.store import Logbook


class Texts(Source):
    """What a run wrote, told as it came or in a file."""

    name = "text"
    endings = (".txt", ".md")
    largest_bytes = 4 * 2**20

    def __init__(self, logbook: Logbook, pattern: str | None = None):
        super().__init__(logbook, pattern)
        self._told = logbook.texts() if pattern is None else {}

    def digest(self, run: int) -> str:
        if run in self._told:
            return hashlib.sha256(self._told[run].encode("utf-8", "replace")).hexdigest()
        return super().digest(run)

    def content(self, run: int) -> str:
        return self._told[run] if run in self._told else str(super().content(run))

    def _read(self, data: bytes) -> str:
        return data.decode("utf-8", "replace")
