"""What runs have put out, read when it is asked for: pictures, texts, scores.

Every source answers two questions of a run: under which digest its output is known (runs with the same output are
worked out once), and what it is. A file that no longer has the digest that it was kept with is somebody else's: it is
never taken for the output.
"""

import hashlib
import io
import math
import os
import warnings
import zipfile
from abc import ABC, abstractmethod
from collections.abc import Container, Mapping, Sequence
from pathlib import Path
from types import MappingProxyType
from typing import Any, ClassVar, NamedTuple

import numpy as np
from numpy.typing import NDArray

from unvek.core.evidence.measurements import MADE_NONE
from unvek.core.held_folder import open_plain
from unvek.core.logbook.rows import OutputRow
from unvek.core.logbook.store import Logbook
from unvek.core.measures.kinds import PICTURES, SCORES, TEXTS, Kind
from unvek.core.pictures import NoPictureError, open_picture, picture_size
from unvek.core.plan.digests import DigestCache
from unvek.core.units import bytes_words

MEASURED_PIXELS = 16_000_000  # of one picture: each takes 24 bytes, and a comparison of two ten times that
SMALL_SIDE = 256
MOST_HELD, MOST_HELD_BYTES = 64, 2**29  # outputs kept at hand: mostly the reference's, which others are held against
CHANGED, GONE = "its file is not the one any more that the run made", "its file is gone, or can't be read"


class OutputError(Exception):
    """Why a run's output can't be had. `lasts` says whether that stays so: a file may be put back."""

    def __init__(self, why: str, lasts: bool = True):
        super().__init__(why)
        self.lasts = lasts


class ScoresFound(NamedTuple):
    """What a model expected of a given text."""

    log_probabilities: NDArray[np.floating]
    tokens: NDArray[np.integer]


class Source(ABC):
    """Outputs of one sort: the first file of each run whose name ends as theirs do."""

    name: ClassVar[str]
    endings: ClassVar[tuple[str, ...]]
    largest_bytes: ClassVar[int]

    def __init__(self, logbook: Logbook):
        self._folder = logbook.folder.path
        self._first: dict[int, OutputRow] = {}
        for output in logbook.outputs():
            if output.path.lower().endswith(self.endings):
                self._first.setdefault(output.run, output)
        self._held: dict[str, Any] = {}
        self._held_bytes = 0

    def digest(self, run: int) -> str:
        """Return the digest of a run's output; OutputError where it has none."""
        return self._output(run).digest

    def content(self, run: int) -> Any:
        """Return a run's output; OutputError where it has none, or the file is damaged, out of bounds or another."""
        output = self._output(run)
        if output.digest not in self._held:
            content = self._read(self._bytes(output))
            while self._held and (len(self._held) >= MOST_HELD or self._held_bytes + _size(content) > MOST_HELD_BYTES):
                self._held_bytes -= _size(self._held.pop(next(iter(self._held))))
            self._held[output.digest] = content
            self._held_bytes += _size(content)
        return self._held[output.digest]

    def path(self, run: int) -> Path | None:
        """Return the file of a run's output, once it is known to be that; None where there is none of this sort.

        Raises OutputError where the file is another.
        """
        if run not in self._first:
            return None
        output = self._first[run]
        if output.digest not in self._held:
            self._bytes(output)
        return self._folder / output.path

    def _output(self, run: int) -> OutputRow:
        if run not in self._first:
            raise OutputError(f"{MADE_NONE} {self.name}")
        return self._first[run]

    def _bytes(self, output: OutputRow) -> bytes:
        """Read a file and hold it against its digest."""
        if output.bytes > self.largest_bytes:
            raise OutputError(f"its {self.name} has more than {bytes_words(self.largest_bytes)}")
        try:
            with os.fdopen(open_plain(self._folder / output.path), "rb") as file:
                data = file.read(output.bytes + 1)
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
        return (ours, theirs) if kind.is_likeness else (ours, wanted)


class Pictures(Source):
    """(height, width, 3) of floats in 0..1."""

    name = "picture"
    endings = (".png", ".jpg", ".jpeg", ".webp", ".bmp", ".gif", ".tif", ".tiff", ".ppm")
    largest_bytes = 256 * 2**20

    def _read(self, data: bytes) -> NDArray[np.float64]:
        try:
            width, height = picture_size(io.BytesIO(data))
            if width * height > MEASURED_PIXELS:
                raise OutputError(
                    f"its picture has {width * height / 1e6:.0f} megapixels: at most {MEASURED_PIXELS / 1e6:.0f} are "
                    "measured"
                )
            return np.asarray(open_picture(io.BytesIO(data)).image, np.float64) / 255
        except NoPictureError as error:
            raise OutputError(f"of its picture: {error}") from error

    def size(self, run: int) -> tuple[int, int]:
        """Return a picture's width and height, without unpacking it; OutputError as for `content`."""
        try:
            return picture_size(io.BytesIO(self._bytes(self._output(run))))
        except NoPictureError as error:
            raise OutputError(f"of its picture: {error}") from error

    def small(self, run: int) -> NDArray[np.uint8]:
        """Return a picture scaled down, for a look at what is in it; OutputError as for `content`."""
        try:
            return np.asarray(open_picture(io.BytesIO(self._bytes(self._output(run))), SMALL_SIDE).image)
        except NoPictureError as error:
            raise OutputError(f"of its picture: {error}") from error


class Scores(Source):
    name = "file of scores (*.scores.npz)"
    endings = (".scores.npz",)
    largest_bytes = 512 * 2**20

    def _read(self, data: bytes) -> ScoresFound:
        found = scores_of(data)
        if np.any(np.isnan(found.log_probabilities)):
            raise OutputError("its scores are no numbers (NaN)")
        return found

    def arguments(self, kind: Kind, ours: Any, theirs: Any, wanted: Sequence[str]) -> tuple[Any, ...]:
        if kind.is_likeness:
            return theirs.log_probabilities, ours.log_probabilities
        return ours.log_probabilities, ours.tokens


class Texts(Source):
    """What a run wrote, told as it came or in a file."""

    name = "text"
    endings = (".txt", ".md")
    largest_bytes = 4 * 2**20

    def __init__(self, logbook: Logbook):
        super().__init__(logbook)
        self._told = logbook.texts()

    def digest(self, run: int) -> str:
        if run in self._told:
            return hashlib.sha256(self._told[run].encode("utf-8", "replace")).hexdigest()
        return super().digest(run)

    def content(self, run: int) -> str:
        return self._told[run] if run in self._told else str(super().content(run))

    def _read(self, data: bytes) -> str:
        return data.decode("utf-8", "replace")


def changed_outputs(logbook: Logbook, runs: Container[int], digests: DigestCache, most: int | None = None) -> list[int]:
    """Return of which of these runs an output is not the file any more that the run made, or is gone.

    Looked at are so many at most: None is all, and none where there are more than that.
    """
    outputs = [output for output in logbook.outputs() if output.run in runs]
    if most is not None and len(outputs) > most:
        return []
    folder = logbook.folder.path
    changed = (output.run for output in outputs if not _is_as_made(folder / output.path, output.digest, digests))
    return list(dict.fromkeys(changed))


def _is_as_made(path: Path, digest: str, digests: DigestCache) -> bool:
    try:
        os.close(open_plain(path))
        return digests.digest(path) == digest
    except OSError:
        return False


def _size(content: Any) -> int:
    """Return the bytes of an output as it is held: of its arrays, or its text."""
    parts = content if isinstance(content, tuple) else (content,)
    return sum(part.nbytes if isinstance(part, np.ndarray) else len(part) for part in parts)


SOURCES: Mapping[str, type[Source]] = MappingProxyType({PICTURES: Pictures, TEXTS: Texts, SCORES: Scores})


def scores_of(data: bytes) -> ScoresFound:
    """Return the arrays of a file written with numpy.savez; OutputError where it is none, or larger unpacked."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed, warnings.catch_warnings():
            warnings.simplefilter("ignore")  # of a head that is odd, and read all the same
            if sum(entry.file_size for entry in packed.infolist()) > min(Scores.largest_bytes, 4 * len(data)):
                raise OutputError("its file of scores is far larger unpacked")
            found = ScoresFound(*(_array_in(packed, name) for name in ScoresFound._fields))
    except OutputError:
        raise
    except (
        Exception
    ) as error:  # what reads a zip or an array raises a dozen sorts of errors, and not all are documented
        raise OutputError("its file of scores is damaged, or none") from error
    if found.log_probabilities.dtype.kind != "f" or found.tokens.dtype.kind not in "iu":
        raise OutputError("its file of scores holds no log-probabilities (floats) and tokens (whole numbers)")
    return found


def _array_in(packed: zipfile.ZipFile, name: str) -> NDArray[Any]:
    """Return an array of the file; its head may say any shape, and is believed only as far as there are bytes."""
    data = io.BytesIO(packed.read(f"{name}.npy"))
    read_head = {1: np.lib.format.read_array_header_1_0, 2: np.lib.format.read_array_header_2_0}
    shape, is_fortran, dtype = read_head[np.lib.format.read_magic(data)[0]](data)
    rest = data.read()
    if dtype.hasobject or math.prod(shape) * dtype.itemsize != len(rest):
        raise OutputError("its file of scores does not hold what its head says")
    return np.frombuffer(rest, dtype).reshape(shape, order="F" if is_fortran else "C")
