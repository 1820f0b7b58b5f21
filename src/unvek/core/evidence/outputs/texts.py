"""Texts, told as they came or in a file."""

import hashlib
from abc import abstractmethod

from unvek.core.evidence.outputs.source import KeptOutputs, Source


class FilesOrTold(Source):
    """The first file of a run, or what it wrote piece by piece, which is in no file."""

    def __init__(self, kept: KeptOutputs, pattern: str | None = None):
        super().__init__(kept, pattern)
        self._told = kept.texts if pattern is None else {}

    @abstractmethod
    def is_told(self, run: int) -> bool:
        """Whether what a run wrote is its output, and not a file."""

    def digest(self, run: int) -> str:
        return hashlib.sha256(self._told_bytes(run)).hexdigest() if self.is_told(run) else super().digest(run)

    def _told_bytes(self, run: int) -> bytes:
        return self._told[run].encode("utf-8", "replace")


class Texts(FilesOrTold):
    """What a run wrote, told as it came or in a file."""

    name = "text"
    endings = (".txt", ".md")
    largest_bytes = 4 * 2**20

    def is_told(self, run: int) -> bool:
        return run in self._told

    def content(self, run: int) -> str:
        return self._told[run] if self.is_told(run) else str(super().content(run))

    def _read(self, data: bytes) -> str:
        return data.decode("utf-8", "replace")
