"""Outputs as files, whatever is in them: for programs that look at these."""

import hashlib
from collections.abc import Mapping
from pathlib import PurePath

from unvek.core.evidence.outputs.texts import FilesOrTold
from unvek.core.logbook.rows import OutputRow

TOLD_AS = "output.txt"  # what a run wrote, and put into no file


class Files(FilesOrTold):
    """The first file of a run, or else what it wrote."""

    name = "output"
    endings = ("",)
    largest_bytes = 2**29

    def is_told(self, run: int) -> bool:
        return run not in self._first and run in self._told

    def file(self, run: int) -> tuple[str, bytes]:
        return (TOLD_AS, self._told_bytes(run)) if self.is_told(run) else super().file(run)

    def digest_of_all(self, run: int) -> str:
        """Return a digest of everything that a run put out."""
        parts = [f"{PurePath(output.path).name}:{output.digest}" for output in self._all.get(run, ())]
        return hashlib.sha256("\n".join([*parts, self._told.get(run, "")]).encode("utf-8", "replace")).hexdigest()

    def all_of(self, run: int) -> Mapping[str, bytes]:
        """Return everything that a run put out: names within its folder, and what is in each."""
        found = {_within(output): self._bytes(output) for output in self._all.get(run, ())}
        return found or dict([self.file(run)])

    def _read(self, data: bytes) -> bytes:
        return data


def _within(output: OutputRow) -> str:
    """Return a file's name within the folder of its run, outputs/RUN/..."""
    return str(PurePath(*PurePath(output.path).parts[2:]))
