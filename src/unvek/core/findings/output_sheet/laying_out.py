"""Which output stands for each variant and item when they are laid side by side."""

from dataclasses import dataclass
from functools import cached_property
from statistics import median
from typing import Any

import numpy as np

from unvek.core.errors import InputError
from unvek.core.evidence.drift import drift_of
from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.expected import points_of_runs
from unvek.core.evidence.judged import WINS
from unvek.core.evidence.outputs.pictures import Pictures
from unvek.core.evidence.outputs.sounds import Sounds
from unvek.core.evidence.outputs.source import KeptOutputs, OutputError
from unvek.core.evidence.outputs.texts import Texts
from unvek.core.findings.output_sheet.found import (
    PICTURE,
    SOUND,
    TEXT,
    OutputCell,
    OutputItem,
    OutputRow,
    OutputSheet,
)
from unvek.core.logbook.rows import RunRow
from unvek.core.logbook.store import Logbook
from unvek.core.measures.definition import MORE
from unvek.core.plan.model import wording_of
from unvek.core.run.events.record import is_from_elsewhere
from unvek.core.stats.grouping import Floats

BROUGHT = "brought in without its output"
Key = tuple[str, int, int]  # task, seed, wording: 0 of a task that has one
MOST_CELLS = 1000  # outputs of one sheet, beyond which nobody would look through it


@dataclass(frozen=True, slots=True, kw_only=True)
class Wanted:
    """Which items a sheet is to have: all; one prompt over its seeds; or so many that drift most."""

    seeds_of_one: bool = False
    worst: int | None = None


EVERYTHING = Wanted()


def lay_out_outputs(logbook: Logbook, evidence: Evidence, wanted: Wanted = EVERYTHING) -> OutputSheet:
    """Return the outputs laid out; InputError where no run has made what can be shown, or nothing can be worst."""
    laying = _LayingOut(logbook, evidence)
    items = laying.items
    if wanted.seeds_of_one:
        items = _of_one_prompt(items)
    told: list[str] = []
    if wanted.worst is not None:
        items = laying.worst(items)[: wanted.worst]
        told.append(f"the {len(items)} that drift most by {laying.quality}: {'; '.join(map(laying.words, items))}")
    most = max(1, MOST_CELLS // len(evidence.variants))
    if len(items) > most:
        told.append(f"the first {most} of {len(items)} items: choose others with --tasks, --seeds or --worst")
        items = items[:most]
    rows = tuple(
        OutputRow(variant=v.name, form=v.form, cells=tuple(laying.cell(v.name, item) for item in items))
        for v in evidence.variants
    )
    if not any(cell.sort for row in rows for cell in row.cells):
        missing = {cell.missing for row in rows for cell in row.cells if cell.missing}
        why = f": {'; '.join(sorted(missing))}" if missing else ""
        raise InputError(f"no run here has a picture, a sound or a text, so there is nothing to lay side by side{why}")
    return OutputSheet(
        title=evidence.plan.title, reference=evidence.reference, quality=laying.quality,
        items=tuple(laying.item(item) for item in items), rows=rows, told=tuple(told),
    )  # fmt: skip


def _of_one_prompt(items: list[Key]) -> list[Key]:
    """Return the items of the first task that has several seeds, in one wording."""
    for task, _, wording in items:
        found = [item for item in items if (item[0], item[2]) == (task, wording)]
        if len(found) > 1:
            return found
    raise InputError("no task here has several seeds, so there is no variety to look at: give one seeds = [1, 2, 3]")


class _LayingOut:
    def __init__(self, logbook: Logbook, evidence: Evidence):
        kept = KeptOutputs.of(logbook)
        self._evidence = evidence
        self._pictures, self._sounds, self._texts = Pictures(kept), Sounds(kept), Texts(kept)
        self._by_cell: dict[tuple[str, Key], list[int]] = {}
        for place, row in enumerate(evidence.runs.rows):
            key = (row.task, row.seed, wording_of(row.varied))
            self._by_cell.setdefault((row.variant, key), []).append(place)
        self.quality = self._quality()
        self._points = points_of_runs(evidence)

    @property
    def items(self) -> list[Key]:
        """The items in the plan's order; those that only runs from elsewhere have come last."""
        found = {item for _, item in self._by_cell}
        planned = [
            (task.name, seed, wording)
            for task in self._evidence.plan.tasks
            for seed in task.seeds
            for wording in (range(1, len(task.wordings) + 2) if task.wordings else (0,))
        ]
        rest = sorted(found.difference(planned), key=lambda item: (item[0], item[1], item[2]))
        return [item for item in planned if item in found] + rest

    def _quality(self) -> str | None:
        """The likeness that outputs are labelled with: the plan's quality, or else the first likeness."""
        quality, likenesses = self._evidence.quality, self._evidence.values.likeness_names
        return quality if quality in likenesses or not likenesses else likenesses[0]

    @cached_property
    def _likeness(self) -> Floats:
        if self.quality is None:
            return np.full(len(self._evidence.runs), np.nan)
        return self._evidence.values.of(self.quality)

    def worst(self, items: list[Key]) -> list[Key]:
        """Return items, those first in which the other variants' outputs are least like the reference's."""
        if self.quality is None or self.quality not in self._evidence.values.likeness_names:
            raise InputError('nothing here says how alike outputs are: add a measure such as kind = "ssim" to the plan')
        sign = 1 if self._evidence.values.measure(self.quality).better == MORE else -1
        scores = {item: sign * self._mean_likeness(item) for item in items}
        return sorted((item for item in items if np.isfinite(scores[item])), key=lambda item: scores[item])

    def _mean_likeness(self, item: Key) -> float:
        others = [v.name for v in self._evidence.variants if v.name != self._evidence.reference]
        places = [place for name in others for place in self._by_cell.get((name, item), ())]
        known = self._likeness[places][np.isfinite(self._likeness[places])]
        return float(known.mean()) if len(known) else np.nan

    def item(self, key: Key) -> OutputItem:
        name, seed, wording = key
        task = self._evidence.settings.tasks.get(name)
        return OutputItem(
            task=name, seed=seed, wording=wording or None, prompt=task.worded(wording) if task is not None else "",
            expect=task.expect if task is not None else (),
        )  # fmt: skip

    def words(self, key: Key) -> str:
        item = self.item(key)
        return f"{item.task} {item.which}"

    def cell(self, variant: str, item: Key) -> OutputCell:
        evidence, places = self._evidence, self._by_cell.get((variant, item), [])
        finished = [place for place in places if evidence.runs.finished[place]]
        if not finished:
            return OutputCell(status=evidence.runs.rows[places[0]].status if places else "no run yet")
        first = evidence.runs.rows[finished[0]]
        times_s = [time_s for place in finished if (time_s := evidence.runs.rows[place].time_s) is not None]
        known = [place for place in finished if np.isfinite(self._likeness[place])]
        task = evidence.settings.tasks.get(item[0])
        expect = len(task.expect) if task is not None else 0
        return OutputCell(
            **self._output(first),
            steps=first.steps,
            time_s=median(times_s) if times_s else None,
            likeness=float(self._likeness[known[0]]) if known else None,
            drift=self._drift(known[0]) if known else None,
            points=self._points.get(first.number, (None,) * expect),
            **self._judged(finished, variant),
            run=first.number,
            status=first.status,
        )

    def _judged(self, places: list[int], variant: str) -> dict[str, Any]:
        """Return what judges said of these runs' output."""
        judged = self._evidence.values.judged
        known = [value for place in places if np.isfinite(value := self._wins[place])]
        runs = {self._evidence.runs.rows[place].number for place in places}
        why = next((one.why for one in judged.verdicts if one.why and judged.favoured(one) in runs), "")
        is_reference = variant == self._evidence.reference
        return {"wins": float(np.mean(known)) if known and not is_reference else None, "why": why if known else ""}

    @cached_property
    def _wins(self) -> Floats:
        return self._evidence.values.judged.of(WINS)

    def _drift(self, place: int) -> float | None:
        """Return where one run's likeness lies on the drift scale."""
        if self.quality is None or self.quality not in self._evidence.values.likeness_names:
            return None
        only = np.zeros(len(self._evidence.runs), bool)
        only[place] = True
        found = drift_of(self._evidence, self.quality, only)
        return found.value if found is not None else None

    def _output(self, run: RunRow) -> dict[str, Any]:
        """Return what of a run's output is shown, or why that can't be."""
        if is_from_elsewhere(run.cell):
            return {"missing": BROUGHT}
        try:
            for sort, source in ((PICTURE, self._pictures), (SOUND, self._sounds)):
                if files := source.paths(run.number):
                    return {"sort": sort, "files": files}
            return {"sort": TEXT, "text": self._texts.content(run.number)}
        except OutputError as error:
            return {"missing": str(error)}
