"""Which output stands for each variant and item when they are laid side by side."""

from dataclasses import dataclass
from pathlib import Path
from statistics import median
from typing import ClassVar

import numpy as np

from unvek.core.errors import InputError
from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.outputs.pictures import Pictures
from unvek.core.evidence.outputs.source import OutputError
from unvek.core.evidence.outputs.texts import Texts
from unvek.core.logbook.rows import RunRow
from unvek.core.logbook.store import Logbook
from unvek.core.run.events.record import is_from_elsewhere

BROUGHT = "brought in without its output"


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputCell:
    """One variant's output of one item: the first finished run's picture or text, the median time of all its runs.

    `missing` says why neither is shown where that is not the run's own doing: a file that was changed, say.
    """

    picture: Path | None
    text: str | None
    missing: str | None
    steps: int
    time_s: float | None
    likeness: float | None
    status: str


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputRow:
    """One variant, with a cell an item."""

    variant: str
    form: str
    cells: tuple[OutputCell, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputItem:
    """A task with one seed."""

    task: str
    seed: int
    prompt: str


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputSheet:
    """The outputs, variants down and items across."""

    kind: ClassVar[str] = "sheet"
    title: str
    reference: str
    quality: str | None
    items: tuple[OutputItem, ...]
    rows: tuple[OutputRow, ...]


def lay_out_outputs(logbook: Logbook, evidence: Evidence) -> OutputSheet:
    """Return the outputs laid out; InputError where no run has made a picture or a text."""
    quality = evidence.plan.quality
    likeness = evidence.values.of(quality) if quality else np.full(len(evidence.runs), np.nan)
    pictures, texts = Pictures(logbook), Texts(logbook)
    by_cell: dict[tuple[str, str, int], list[int]] = {}
    for place, row in enumerate(evidence.runs.rows):
        by_cell.setdefault((row.variant, row.task, row.seed), []).append(place)
    items = _in_order(evidence, {(task, seed) for _, task, seed in by_cell})
    rows = tuple(
        OutputRow(
            variant=v.name,
            form=v.form,
            cells=tuple(_cell(evidence, pictures, texts, likeness, by_cell.get((v.name, *item), [])) for item in items),
        )
        for v in evidence.variants
    )
    if not any(cell.picture or cell.text for row in rows for cell in row.cells):
        missing = {cell.missing for row in rows for cell in row.cells if cell.missing}
        why = f": {'; '.join(sorted(missing))}" if missing else ""
        raise InputError(f"no run here has a picture or a text, so there is nothing to lay side by side{why}")
    prompts = {name: task.prompt for name, task in evidence.settings.tasks.items()}
    return OutputSheet(
        title=evidence.plan.title,
        reference=evidence.reference,
        quality=quality,
        items=tuple(OutputItem(task=task, seed=seed, prompt=prompts.get(task, "")) for task, seed in items),
        rows=rows,
    )


def _in_order(evidence: Evidence, items: set[tuple[str, int]]) -> list[tuple[str, int]]:
    """Return the items in the plan's order; those that only runs from elsewhere have come last."""
    planned = [(task.name, seed) for task in evidence.plan.tasks for seed in task.seeds]
    return [item for item in planned if item in items] + sorted(items.difference(planned))


def _cell(evidence: Evidence, pictures: Pictures, texts: Texts, likeness: np.ndarray, places: list[int]) -> OutputCell:
    finished = [place for place in places if evidence.runs.finished[place]]
    if not finished:
        status = evidence.runs.rows[places[0]].status if places else "no run yet"
        return OutputCell(
            picture=None, text=None, missing=None, steps=0, time_s=None, likeness=None, status=status
        )  # fmt: skip
    first = evidence.runs.rows[finished[0]]
    known = likeness[finished][np.isfinite(likeness[finished])]
    times_s = [time_s for place in finished if (time_s := evidence.runs.rows[place].time_s) is not None]
    picture, text, missing = _output(pictures, texts, first)
    return OutputCell(
        picture=picture,
        text=text,
        missing=missing,
        steps=first.steps,
        time_s=median(times_s) if times_s else None,
        likeness=float(known[0]) if len(known) else None,
        status=first.status,
    )


def _output(pictures: Pictures, texts: Texts, run: RunRow) -> tuple[Path | None, str | None, str | None]:
    """Return a run's picture, or its text, or why what it made can't be shown."""
    if is_from_elsewhere(run.cell):
        return None, None, BROUGHT
    try:
        picture = pictures.path(run.number)
        return (picture, None, None) if picture is not None else (None, texts.content(run.number), None)
    except OutputError as error:
        return None, None, None if error.lasts else str(error)
