"""What runs have put out, read when it is asked for: pictures, texts, scores.

Every source answers two questions of a run: under which digest its output is known (runs with the same output are
worked out once), and what it is; None where the run has none, or it is damaged or out of bounds.
"""

import hashlib
import zipfile
from abc import ABC, abstractmethod
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from unvek.core.logbook.store import Logbook, Row
from unvek.core.measures.catalogue import PICTURES, SCORES, TEXTS

if TYPE_CHECKING:
    from PIL import Image

PICTURE_ENDINGS = (".png", ".jpg", ".jpeg", ".webp", ".bmp", ".gif", ".tif", ".tiff", ".ppm")
TEXT_ENDINGS = (".txt", ".md")
SCORES_ENDING = ".scores.npz"
MOST_PIXELS = 64_000_000
LARGEST_TEXT_BYTES, LARGEST_SCORES_BYTES = 4 * 2**20, 512 * 2**20


class ScoresFound(NamedTuple):
    """What a model expected of a given text."""

    log_probabilities: NDArray[np.floating]
    tokens: NDArray[np.integer]


class Source(Protocol):
    """Outputs of one sort."""

    def digest(self, run: int) -> str | None: ...

    def content(self, run: int) -> Any: ...


class _Files(ABC):
    """The first output of each run whose name ends as wanted."""

    def __init__(self, logbook: Logbook, endings: tuple[str, ...]):
        self._folder = logbook.folder.path
        self._first: dict[int, Row] = {}
        for output in logbook.outputs():
            if output["path"].lower().endswith(endings):
                self._first.setdefault(output["run"], output)
        self._read: dict[str, Any] = {}

    def path(self, run: int) -> Path | None:
        """Return the file of a run's first output of this sort."""
        output = self._first.get(run)
        return self._folder / output["path"] if output else None

    def digest(self, run: int) -> str | None:
        output = self._first.get(run)
        return output["digest"] if output else None

    def content(self, run: int) -> Any:
        path, digest = self.path(run), self.digest(run)
        if path is None or digest is None:
            return None
        if digest not in self._read:
            self._read[digest] = self._content_of(path)
        return self._read[digest]

    @abstractmethod
    def _content_of(self, path: Path) -> Any:
        """Return what a file holds; None where it is damaged or out of bounds."""


class Pictures(_Files):
    def __init__(self, logbook: Logbook):
        super().__init__(logbook, PICTURE_ENDINGS)

    def _content_of(self, path: Path) -> NDArray[np.float64] | None:
        return read_picture(path)


class Scores(_Files):
    def __init__(self, logbook: Logbook):
        super().__init__(logbook, (SCORES_ENDING,))

    def _content_of(self, path: Path) -> ScoresFound | None:
        return read_scores(path)


class Texts(_Files):
    """What a run wrote, told as it came or in a file."""

    def __init__(self, logbook: Logbook):
        super().__init__(logbook, TEXT_ENDINGS)
        self._logbook = logbook
        self._told: dict[int, str] | None = None

    def digest(self, run: int) -> str | None:
        text = self._told_by(run)
        return hashlib.sha256(text.encode("utf-8", "replace")).hexdigest() if text else super().digest(run)

    def content(self, run: int) -> str | None:
        return self._told_by(run) or super().content(run)

    def _told_by(self, run: int) -> str:
        if self._told is None:
            self._told = self._logbook.texts()
        return self._told.get(run, "")

    def _content_of(self, path: Path) -> str | None:
        try:
            if path.stat().st_size > LARGEST_TEXT_BYTES:
                return None
            return path.read_text(encoding="utf-8", errors="replace")
        except OSError:
            return None


def source_of(sort: str, logbook: Logbook) -> Source:
    """Return the outputs that a kind of measure is worked out from."""
    sources: dict[str, type[_Files]] = {PICTURES: Pictures, TEXTS: Texts, SCORES: Scores}
    return sources[sort](logbook)  # type: ignore[call-arg]


def read_scores(path: Path) -> ScoresFound | None:
    """Return the arrays of a file written with numpy.savez; None where it is none, or would be larger unpacked."""
    try:
        with zipfile.ZipFile(path) as packed:
            if sum(entry.file_size for entry in packed.infolist()) > min(LARGEST_SCORES_BYTES, 4 * path.stat().st_size):
                return None
        with np.load(path, allow_pickle=False) as arrays:
            found = ScoresFound(np.asarray(arrays["log_probabilities"]), np.asarray(arrays["tokens"]))
    except (OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile, MemoryError):
        return None
    kinds_fit = found.log_probabilities.dtype.kind == "f" and found.tokens.dtype.kind in "iu"
    return found if kinds_fit else None


def read_picture(path: Path) -> NDArray[np.float64] | None:
    """Return a picture as (height, width, 3) in 0..1; None as for open_picture."""
    picture = open_picture(path)
    return None if picture is None else np.asarray(picture, np.float64) / 255


def picture_size(path: Path) -> tuple[int, int] | None:
    """Return a picture's width and height, without reading all of it; None where the file is no picture."""
    from PIL import Image

    try:
        with Image.open(path) as picture:
            return picture.size
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        return None


def open_picture(path: Path) -> "Image.Image | None":
    """Return a picture in RGB; None where the file is no picture, damaged or out of bounds."""
    from PIL import Image

    try:
        with Image.open(path) as picture:
            return picture.convert("RGB") if picture.width * picture.height <= MOST_PIXELS else None
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        return None
