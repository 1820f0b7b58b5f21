"""Outputs laid side by side, as plain values: which file or text stands for each variant and item."""

from dataclasses import dataclass
from pathlib import Path
from typing import ClassVar

PICTURE, SOUND, TEXT = "picture", "sound", "text"


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputCell:
    """One variant's output of one item: the first finished run's, the median time of all its runs.

    files: a picture, a sound, or the frames of a folder in their order. `missing` says why nothing is shown where that
    is not the run's own doing: a file that was changed, say. points: of what the task expects, how much of each is
    there (1, 0.5, 0), None where nobody has said yet. wins: of pairs with the reference's, how many were won (a tie is
    half), and the first reason that was given for it. run: whose output it is.
    """

    sort: str | None = None
    files: tuple[Path, ...] = ()
    text: str | None = None
    missing: str | None = None
    steps: int = 0
    time_s: float | None = None
    likeness: float | None = None
    drift: float | None = None
    points: tuple[float | None, ...] = ()
    wins: float | None = None
    why: str = ""
    run: int | None = None
    status: str


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputRow:
    """One variant, with a cell an item."""

    variant: str
    form: str
    cells: tuple[OutputCell, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputItem:
    """A task with one seed, and one of its wordings where it has several (from 1, else None)."""

    task: str
    seed: int
    wording: int | None = None
    prompt: str
    expect: tuple[str, ...] = ()

    @property
    def which(self) -> str:
        """Which of a task's items it is, in words."""
        return f"seed {self.seed}" + (f", wording {self.wording}" if self.wording else "")


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputSheet:
    """The outputs, variants down and items across. told: what is to be said beside it."""

    kind: ClassVar[str] = "sheet"
    title: str
    reference: str
    quality: str | None
    items: tuple[OutputItem, ...]
    rows: tuple[OutputRow, ...]
    told: tuple[str, ...] = ()

    def of_reference(self, column: int) -> OutputCell | None:
        """Return what the others of a column are held against."""
        return next((row.cells[column] for row in self.rows if row.variant == self.reference), None)
