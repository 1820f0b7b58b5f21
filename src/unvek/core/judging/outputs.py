"""The outputs that are shown to judges: which one stands for a variant and an item, and what a judge is given of it.

Whatever a file tells beside its picture or sound stays behind: it is read, and written anew in the same form for all.
"""

import base64
import io
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from unvek.core.evidence.counted_runs import varied_words
from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.outputs.pictures import Pictures
from unvek.core.evidence.outputs.sounds import Sounds, samples_of
from unvek.core.evidence.outputs.source import KeptOutputs, OutputError, Source
from unvek.core.evidence.outputs.texts import Texts
from unvek.core.logbook.rows import RunRow
from unvek.core.logbook.verdict_rows import Shown
from unvek.core.plan.model import Task, wording_of

PICTURE, FRAMES, SOUND, TEXT = "picture", "frames", "sound", "text"
LOSSY_QUALITY = 85
Item = tuple[str, int, str]  # task, seed, and what the plan varies, its wordings among that


@dataclass(frozen=True, slots=True, kw_only=True)
class Content:
    """What a judge is shown of one output: files of one form (a picture's frames in their order), or a text."""

    sort: str
    files: tuple[bytes, ...] = ()
    form: str = ""  # the files' media type
    text: str = ""
    width: int = 0
    height: int = 0

    @property
    def uris(self) -> tuple[str, ...]:
        """The files as texts that a page or a request can hold (RFC 2397)."""
        return tuple(f"data:{self.form};base64,{base64.b64encode(file).decode()}" for file in self.files)

    @property
    def size(self) -> int:
        """The bytes that it takes."""
        return sum(map(len, self.files)) + len(self.text)


class JudgedOutputs:
    """The outputs of the runs that count, as judges are shown them."""

    def __init__(self, kept: KeptOutputs, evidence: Evidence):
        self._sources: tuple[tuple[str, Source], ...] = (
            (PICTURE, Pictures(kept)),
            (SOUND, Sounds(kept)),
            (TEXT, Texts(kept)),
        )
        self._first: dict[tuple[str, Item], RunRow] = {}
        self._alike: dict[tuple[str, str], bool] = {}
        self._written: dict[tuple[str, bool], Content] = {}  # the reference's output stands in many questions
        for variant in evidence.variants:
            for place in evidence.runs.first_of_items(variant.name).tolist():
                row = evidence.runs.rows[place]
                self._first[variant.name, item_of(row)] = row

    def of(self, variant: str, item: Item) -> tuple[str, Shown] | None:
        """Return the sort of a variant's output of an item, and which it is; None where there is none that is shown."""
        row = self._first.get((variant, item))
        return self.of_run(row.number) if row is not None else None

    def of_run(self, run: int) -> tuple[str, Shown] | None:
        for sort, source in self._sources:
            try:
                return sort, Shown(run=run, digest=source.digest(run))
            except (OutputError, KeyError):
                continue
        return None

    def contents(self, shown: Iterable[Shown], lossy: bool = False) -> tuple[Content, ...]:
        """Return what a judge is given of outputs that are shown together, all in one form.

        Raises OutputError where one is gone, damaged, or is not what was made.
        """
        these = list(shown)
        if all((one.digest, lossy) in self._written for one in these):
            return tuple(self._written[one.digest, lossy] for one in these)
        found = [self._read(one) for one in these]
        kind = _kind_for(content for sort, content in found if sort == SOUND)
        contents = tuple(_content(sort, content, kind, lossy) for sort, content in found)
        for one, content in zip(these, contents, strict=True):
            if content.sort != SOUND:  # how samples are written goes by the other sound
                self._written[one.digest, lossy] = content
        return contents

    def check(self, shown: Shown) -> None:
        """Raise OutputError where an output is gone, damaged, or is not what was made."""
        self._read(shown)

    def are_alike(self, one: Shown, other: Shown) -> bool:
        """Whether two outputs are the same to the last bit of what is shown, whatever else is in their files."""
        if one.digest == other.digest:
            return True
        pair = one.digest, other.digest
        if pair not in self._alike:
            try:
                (sort, ours), (theirs_sort, theirs) = self._read(one), self._read(other)
                self._alike[pair] = sort == theirs_sort and _same(ours, theirs)
            except OutputError:
                self._alike[pair] = False  # it is told where it is to be shown
        return self._alike[pair]

    def _read(self, shown: Shown) -> tuple[str, Any]:
        found = self.of_run(shown.run)
        if found is None or found[1].digest != shown.digest:
            raise OutputError(f"run {shown.run} has no output of that digest any more")
        source = dict(self._sources)[found[0]]
        if found[0] == SOUND:
            return SOUND, samples_of(source.file(shown.run)[1])
        return found[0], source.content(shown.run)


def _same(ours: Any, theirs: Any) -> bool:
    if isinstance(ours, str) or isinstance(theirs, str):
        return bool(ours == theirs)
    if isinstance(ours, tuple) and isinstance(theirs, tuple):  # of sounds: their rate, and the samples
        return bool(ours[0] == theirs[0]) and np.array_equal(ours[1], theirs[1])
    return np.array_equal(ours, theirs)


def item_of(row: RunRow) -> Item:
    """Return what two outputs have to be of to be held against each other."""
    return row.task, row.seed, varied_words(row.varied)


def asked_for(row: RunRow, task: Task | None) -> str:
    """Return the prompt that a run was made with."""
    return task.worded(wording_of(row.varied)) if task is not None else ""


def _content(sort: str, found: Any, kind: Any, lossy: bool) -> Content:
    if sort == TEXT:
        return Content(sort=TEXT, text=found)
    if sort == SOUND:
        rate_hz, samples = found
        return Content(sort=SOUND, files=(_as_wav(rate_hz, _as_kind(samples, kind)),), form="audio/wav")
    frames = found if found.ndim == 4 else found[None]
    return Content(
        sort=FRAMES if len(frames) > 1 else PICTURE,
        files=tuple(_as_picture(frame, lossy) for frame in frames),
        form="image/webp" if lossy else "image/png",
        width=frames.shape[2],
        height=frames.shape[1],
    )


def _as_picture(pixels: NDArray[np.uint8], lossy: bool) -> bytes:
    """Return a picture with nothing in its file but its pixels: these exactly, or nearly so and smaller."""
    from PIL import Image

    file = io.BytesIO()
    image = Image.fromarray(np.ascontiguousarray(pixels))
    if lossy:
        image.save(file, "WEBP", quality=LOSSY_QUALITY)
    else:
        image.save(file, "PNG")
    return file.getvalue()


def _kind_for(sounds: Iterable[tuple[int, NDArray[Any]]]) -> Any:
    """Return how samples are written, so that each stays as it is and all look alike."""
    kinds = {samples.dtype for _, samples in sounds}
    if len(kinds) == 1:
        return kinds.pop()
    fits = all(kind in (np.dtype(np.uint8), np.dtype(np.int16), np.dtype(np.float32)) for kind in kinds)
    return np.dtype(np.float32 if fits else np.float64)


def _as_kind(samples: NDArray[Any], kind: Any) -> NDArray[Any]:
    if samples.dtype == kind:
        return samples
    if samples.dtype == np.uint8:
        return np.asarray((samples.astype(kind) - 128) / 128)
    if samples.dtype.kind == "i":
        return np.asarray(samples.astype(kind) / (np.iinfo(samples.dtype).max + 1))
    return np.asarray(samples.astype(kind))


def _as_wav(rate_hz: int, samples: NDArray[Any]) -> bytes:
    from scipy.io import wavfile

    file = io.BytesIO()
    wavfile.write(file, rate_hz, samples)
    return file.getvalue()
