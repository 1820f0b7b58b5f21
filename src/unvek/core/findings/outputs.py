"""Which output stands for each variant and item when they are laid side by side."""

from dataclasses import dataclass
from pathlib import Path
from statistics import median
from typing import ClassVar

import numpy as np

from unvek.core.errors import InputError
from unvek.core.findings.evidence import Evidence
from unvek.core.findings.kept_outputs import Pictures, Texts
from unvek.core.logbook.store import Logbook


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputCell:
    """One variant's output of one item: the first finished run's picture or text, the median time of all its runs."""

    picture: Path | None
    text: str | None
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
    quality = evidence.plan.content["quality"]
    likeness = evidence.values(quality) if quality else np.full(len(evidence.rows), np.nan)
    pictures, texts = Pictures(logbook), Texts(logbook)
    prompts = {task["name"]: task["prompt"] for task in evidence.plan.content["tasks"]}
    items = list(dict.fromkeys((row["task"], row["seed"]) for row in evidence.rows))
    order = [(task["name"], seed) for task in evidence.plan.content["tasks"] for seed in task["seeds"]]
    items.sort(key=order.index)
    by_cell: dict[tuple[str, str, int], list[int]] = {}
    for place, row in enumerate(evidence.rows):
        by_cell.setdefault((row["variant"], row["task"], row["seed"]), []).append(place)
    rows = tuple(
        OutputRow(
            variant=v.name,
            form=v.form,
            cells=tuple(_cell(evidence, pictures, texts, likeness, by_cell.get((v.name, *item), [])) for item in items),
        )
        for v in evidence.variants
    )
    if not any(cell.picture or cell.text for row in rows for cell in row.cells):
        raise InputError("no run here has made a picture or a text, so there is nothing to lay side by side")
    return OutputSheet(
        title=evidence.plan.content["title"],
        reference=evidence.reference,
        quality=quality,
        items=tuple(OutputItem(task=task, seed=seed, prompt=prompts[task]) for task, seed in items),
        rows=rows,
    )


def _cell(evidence: Evidence, pictures: Pictures, texts: Texts, likeness: np.ndarray, places: list[int]) -> OutputCell:
    finished = [place for place in places if evidence.finished[place]]
    if not finished:
        status = evidence.rows[places[0]]["status"] if places else "no run yet"
        return OutputCell(picture=None, text=None, steps=0, time_s=None, likeness=None, status=status)
    first = evidence.rows[finished[0]]
    known = likeness[finished][np.isfinite(likeness[finished])]
    return OutputCell(
        picture=pictures.path(first["number"]),
        text=texts.content(first["number"]) if pictures.path(first["number"]) is None else None,
        steps=first["steps"],
        time_s=median(evidence.rows[place]["time_s"] for place in finished),
        likeness=float(known[0]) if len(known) else None,
        status=first["status"],
    )
