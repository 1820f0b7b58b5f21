"""What a sort of output is: which files are of it, and how one is read."""

import hashlib
import os
from abc import ABC, abstractmethod
from collections.abc import Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path, PurePath
from typing import Any, ClassVar

import numpy as np

from unvek.core.errors import LogbookUnreachableError
from unvek.core.held_folder import open_plain
from unvek.core.logbook.output_files import AwayError, OutputFiles
from unvek.core.logbook.place import Place
from unvek.core.logbook.rows import OutputRow
from unvek.core.logbook.store import Logbook
from unvek.core.measures.kind import NOTHING, Kind
from unvek.core.units import bytes_words

MOST_HELD, MOST_HELD_BYTES = 64, 2**29  # outputs kept at hand: mostly the reference's, which others are held against
MADE_NONE = "it made no"
PREVIEWS = "previews"  # the folder, within a run's own, of pictures as they formed
CHANGED, GONE = "its file is not the one any more that the run made", "its file is gone, or can't be read"

AWAY, UNREACHED = "its file is on the machine that made it", "its file can't be fetched now"


def tells_of_change(why: str) -> bool:
    """Whether a reason for no value is that a file is not what the run had made."""
    return why.endswith((CHANGED, GONE))


class OutputError(Exception):
    """Why a run's output can't be had. `lasts` says whether that stays so: a file may be put back."""

    def __init__(self, why: str, lasts: bool = True):
        super().__init__(why)
        self.lasts = lasts


@contextmanager
def damage_as(why: str) -> Iterator[None]:
    """Turn whatever a library raises that reads a damaged file into an OutputError: not all of it is documented."""
    try:
        yield
    except OutputError:
        raise
    except Exception as error:
        raise OutputError(why) from error


@dataclass(frozen=True, slots=True)
class KeptOutputs:
    """What runs put out: the files that are kept, and what each has written."""

    place: Place
    located: OutputFiles
    files: Sequence[OutputRow]
    texts: Mapping[int, str]

    @classmethod
    def of(cls, logbook: Logbook, with_texts: bool = True) -> "KeptOutputs":
        return cls(logbook.place, logbook.files, logbook.outputs(), logbook.texts() if with_texts else {})


class Source(ABC):
    """Outputs of one sort: the first file of each run whose name ends as theirs do."""

    name: ClassVar[str]
    endings: ClassVar[tuple[str, ...]]
    largest_bytes: ClassVar[int]

    def __init__(self, kept: KeptOutputs, pattern: str | None = None):
        """pattern: of the names of the files that are meant, where a run makes several."""
        self._located = kept.located
        self._mine = [
            output
            for output in kept.files
            if output.path.lower().endswith(self.endings)
            and self.is_of_source(PurePath(output.path))
            and (pattern is None or PurePath(output.path).match(pattern))
        ]
        self._first: dict[int, OutputRow] = {}
        for output in self._mine:
            self._first.setdefault(output.run, output)
        self._held: dict[str, Any] = {}
        self._held_bytes = 0

    @staticmethod
    def is_of_source(path: PurePath) -> bool:
        """Whether a file may be an output: how it formed on the way is none."""
        return PREVIEWS not in path.parts[:-1]

    def keep_at_hand(self, other: "Source") -> None:
        """Take over what another of the same sort has at hand."""
        self._held, self._held_bytes = other._held, other._held_bytes

    @cached_property
    def _all(self) -> Mapping[int, list[OutputRow]]:
        """The outputs of each run."""
        found: dict[int, list[OutputRow]] = {}
        for output in self._mine:
            found.setdefault(output.run, []).append(output)
        return found

    @property
    def runs(self) -> Collection[int]:
        """The runs that have an output of this sort."""
        return self._first.keys()

    def digest(self, run: int) -> str:
        """Return the digest of a run's output; OutputError where it has none."""
        return self._output(run).digest

    def content(self, run: int) -> Any:
        """Return a run's output; OutputError where it has none, or the file is damaged, out of bounds or another."""
        output = self._output(run)
        if output.digest not in self._held:
            self._hold(output.digest, self._read(self._bytes(output)))
        return self._held[output.digest]

    def _hold(self, digest: str, content: Any) -> None:
        """Keep an output at hand, in the place of others that were read before."""
        while self._held and (len(self._held) >= MOST_HELD or self._held_bytes + _size(content) > MOST_HELD_BYTES):
            self._held_bytes -= _size(self._held.pop(next(iter(self._held))))
        self._held[digest] = content
        self._held_bytes += _size(content)

    def paths(self, run: int) -> tuple[Path, ...]:
        """Return the files of a run's output, once they are known to be that; none where there is none of this sort.

        Raises OutputError where a file is another.
        """
        files = self._files(run) if run in self._first else []
        for file in files:
            if file.digest not in self._held:
                self._bytes(file)
        return tuple(self._located.find(file) for file in files)

    def _files(self, run: int) -> list[OutputRow]:
        """The files that are one output together; OutputError where there is none."""
        return [self._output(run)]

    def file(self, run: int) -> tuple[str, bytes]:
        """Return the name of a run's output and what is in it; OutputError as for `content`."""
        output = self._output(run)
        return PurePath(output.path).name, self._bytes(output)

    def _output(self, run: int) -> OutputRow:
        if run not in self._first:
            raise OutputError(f"{MADE_NONE} {self.name}")
        return self._first[run]

    def _bytes(self, output: OutputRow) -> bytes:
        """Read a file and hold it against its digest."""
        if output.bytes > self.largest_bytes:
            raise OutputError(f"its {self.name} has more than {bytes_words(self.largest_bytes)}")
        try:
            with os.fdopen(open_plain(self._located.find(output)), "rb") as file:
                data = file.read(output.bytes + 1)
        except AwayError as error:
            raise OutputError(AWAY, lasts=False) from error
        except LogbookUnreachableError as error:
            raise OutputError(UNREACHED, lasts=False) from error
        except OSError as error:
            raise OutputError(GONE, lasts=False) from error
        if hashlib.sha256(data).hexdigest() != output.digest:
            raise OutputError(CHANGED, lasts=False)
        return data

    @abstractmethod
    def _read(self, data: bytes) -> Any:
        """Return what a file holds; OutputError where that is damaged or out of bounds."""

    def arguments(self, kind: Kind, ours: Any, theirs: Any, wanted: Sequence[str]) -> tuple[Any, ...]:
        """Return what a kind's function is handed for an output, and what that is held against."""
        return (ours, theirs) if kind.is_likeness else (ours,) if kind.against == NOTHING else (ours, wanted)


def _size(content: Any) -> int:
    """Return the bytes of an output as it is held: of its arrays, or its text."""
    parts = content if isinstance(content, tuple) else (content,)
    return sum(
        part.nbytes if isinstance(part, np.ndarray) else len(part) for part in parts if not isinstance(part, int)
    )
