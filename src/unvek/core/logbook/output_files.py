"""Where the file of an output is: on this machine, or fetched from where a team's outputs are shared."""

from dataclasses import dataclass
from functools import cached_property
from pathlib import Path, PurePath

from unvek.core.logbook.output_store import OutputStore
from unvek.core.logbook.rows import OutputRow
from unvek.core.run.outputs_room import ROOM

FETCHED = "fetched"  # the folder, within this machine's own, of files that came from the store


class AwayError(FileNotFoundError):
    """A file is on another machine of the team, as far as anybody knows."""


@dataclass(frozen=True)
class OutputFiles:
    """The files of a logbook's outputs. store: the address of where they are shared, None where they are not.

    is_team: other machines may have made the runs, whose files are then not here.
    """

    folder: Path
    store: str | None = None
    is_team: bool = False

    def find(self, output: OutputRow) -> Path:
        """Return where an output's file is, fetched if need be. Whether it is still what the run made is not looked at.

        OSError where it is nowhere: AwayError where another machine may have it. LogbookUnreachableError where the
        store can't be asked.
        """
        path = self._here(output)
        if path is not None or not self.is_team:
            return path or self.folder / output.path
        if self.store is None:
            raise AwayError(f"{output.path} is on the machine that made it")
        fetched = self._fetched(output)
        self._store.fetch(output.digest, output.bytes, fetched)
        return fetched

    def open(self) -> None:
        """Have what it takes to reach the store be there; InputError where it is not installed."""
        if self.store is not None:
            _ = self._store

    def put(self, path: Path, digest: str, size: int) -> None:
        """Have a file be in the store when this returns; LogbookUnreachableError where it can't be."""
        self._store.put(path, digest, size)

    def is_elsewhere(self, output: OutputRow) -> bool:
        """Whether an output's file is not on this machine, and may well be on another or in the store."""
        return self.is_team and self._here(output) is None

    def _here(self, output: OutputRow) -> Path | None:
        """Return the file that is here already: the run's own, or one that was fetched."""
        own = PurePath(output.path)
        if self.is_team and (own.parts[:1] != (ROOM,) or ".." in own.parts):
            return None  # others write there, too: nothing of this machine's own is read for them
        fetched = self._fetched(output)
        return next((path for path in (self.folder / own, fetched) if path.is_file()), None)

    def _fetched(self, output: OutputRow) -> Path:
        return self.folder / FETCHED / output.digest[:2] / output.digest / PurePath(output.path).name

    @cached_property
    def _store(self) -> OutputStore:
        assert self.store is not None, "there is none"
        return OutputStore(self.store)
