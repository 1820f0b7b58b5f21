"""Working out how alike outputs are: each run's picture against the reference's of the same item.

To know what a figure means, the reference's own runs are held against each other too: against another run of the
same seed (as alike as it gets) and against another seed (as different as luck makes it). Between the two lies the
drift scale.
"""

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from unvek.core.errors import LogbookError
from unvek.core.findings.evidence import Evidence
from unvek.core.logbook.store import Logbook, Measured, Row
from unvek.core.measures.catalogue import LIKENESS_UNITS, likeness_function
from unvek.core.run.record import FINISHED

if TYPE_CHECKING:
    from PIL import Image

PICTURE_ENDINGS = (".png", ".jpg", ".jpeg", ".webp", ".bmp", ".gif", ".tif", ".tiff", ".ppm")
MOST_PIXELS = 64_000_000


def with_likeness(logbook: Logbook, evidence: Evidence) -> Evidence:
    """Return the evidence with every likeness that the plan asks for; what had to be worked out is kept.

    Runs with the same pictures are worked out once. A pair that can't be compared (another size, a damaged file)
    is kept with no value.
    """
    wanted = [(m["name"], m["kind"]) for m in evidence.plan.content["measures"]]
    known = {(m.run, m.name, m.against) for m in evidence.measured}
    missing = [
        (run, against, name, kind)
        for run, against in _pairs(evidence)
        for name, kind in wanted
        if (run, name, against) not in known
    ]
    if not missing:
        return evidence
    pictures = Pictures(logbook)
    worked_out = [
        Measured(
            run=run, name=name, against=against, value=pictures.likeness(kind, run, against), unit=LIKENESS_UNITS[kind]
        )
        for run, against, name, kind in missing
    ]
    try:
        logbook.add_measures(worked_out)
    except LogbookError:
        pass  # a logbook that may only be read serves as well; the work is then done again next time
    return replace(evidence, measured=(*evidence.measured, *worked_out))


def _pairs(evidence: Evidence) -> Iterator[tuple[int, int]]:
    """Yield (run, run of the reference to hold it against)."""
    theirs = [row for row in evidence.rows if row["variant"] == evidence.reference and row["status"] == FINISHED]
    by_item: dict[tuple[str, int], list[Row]] = {}
    by_task: dict[str, list[Row]] = {}
    for row in theirs:
        by_item.setdefault((row["task"], row["seed"]), []).append(row)
        if not any(other["seed"] == row["seed"] for other in by_task.setdefault(row["task"], [])):
            by_task[row["task"]].append(row)
    for row in evidence.rows:
        same_item = by_item.get((row["task"], row["seed"]), [])
        if row["status"] == FINISHED and same_item:
            partner = _partner(row, same_item)
            if partner is not None:
                yield row["number"], partner["number"]
    for first_of_seeds in by_task.values():
        for place, row in enumerate(first_of_seeds):
            for other in first_of_seeds[:place]:
                yield row["number"], other["number"]


def _partner(row: Row, same_item: list[Row]) -> Row | None:
    """The reference's run of the same round and repeat, or its first; for the reference itself the next one round."""
    numbers = [other["number"] for other in same_item]
    if row["number"] in numbers:
        if len(same_item) == 1:
            return None
        return same_item[(numbers.index(row["number"]) + 1) % len(same_item)]
    same_slot = (other for other in same_item if (other["round"], other["repeat"]) == (row["round"], row["repeat"]))
    return next(same_slot, same_item[0])


class Pictures:
    """The pictures among the outputs, read when they are asked for."""

    def __init__(self, logbook: Logbook):
        self._folder = logbook.folder.path
        self._first: dict[int, Row] = {}
        for output in logbook.outputs():
            if Path(output["path"]).suffix.lower() in PICTURE_ENDINGS:
                self._first.setdefault(output["run"], output)
        self._read: dict[str, NDArray[np.float64] | None] = {}
        self._likeness: dict[tuple[str, str, str], float | None] = {}

    def path(self, run: int) -> Path | None:
        """Return the file of a run's first picture."""
        output = self._first.get(run)
        return self._folder / output["path"] if output else None

    def likeness(self, kind: str, run: int, against: int) -> float | None:
        ours, theirs = self._first.get(run), self._first.get(against)
        if ours is None or theirs is None:
            return None
        key = (kind, ours["digest"], theirs["digest"])
        if key not in self._likeness:
            a, b = self._picture(ours), self._picture(theirs)
            try:
                self._likeness[key] = None if a is None or b is None else likeness_function(kind)(a, b)
            except ValueError:
                self._likeness[key] = None  # two sizes, or too small for this measure
        return self._likeness[key]

    def _picture(self, output: Row) -> NDArray[np.float64] | None:
        digest = output["digest"]
        if digest not in self._read:
            self._read[digest] = read_picture(self._folder / output["path"])
        return self._read[digest]


def read_picture(path: Path) -> NDArray[np.float64] | None:
    """Return a picture as (height, width, 3) in 0..1; None as for open_picture."""
    picture = open_picture(path)
    return None if picture is None else np.asarray(picture, np.float64) / 255


def open_picture(path: Path) -> "Image.Image | None":
    """Return a picture in RGB; None where the file is no picture, damaged or out of bounds."""
    from PIL import Image

    try:
        with Image.open(path) as picture:
            return picture.convert("RGB") if picture.width * picture.height <= MOST_PIXELS else None
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        return None
