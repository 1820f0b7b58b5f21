"""What a plan has still to do, asked of a logbook: which slots its runs have filled."""

from collections import Counter
from collections.abc import Collection, Iterator
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select

from unvek.core.logbook import tables
from unvek.core.logbook.database import Database
from unvek.core.plan.cells import Cell
from unvek.core.run.events.record import CELL_FROM_ELSEWHERE, CELL_OF_EARLIER, FAILURES, FINISHED, Slot


@dataclass(frozen=True, slots=True, kw_only=True)
class SeenRun:
    """The little of an earlier run that forecasts and the live view need."""

    number: int
    cell: str
    variant: str
    time_s: float | None
    steps: int
    status: str
    warm_up: bool
    cold: bool


class FilledSlots(Database):
    """A logbook that knows which slots are filled.

    A slot is filled by a run with an outcome that was begun at all and is not voided. A run that failed fills its slot
    only under the limits of today: with more time it might finish.
    """

    def done(self, cells: Collection[Cell], rig: str, round_number: int) -> set[Slot]:
        """Return the slots of these cells, all of one variant, that runs of this round have filled on this rig."""
        variants = {cell.variant.name for cell in cells}
        return {
            Slot(cell_key=cell, round=round_number, repeat=repeat)
            for cell, _, _, repeat in self._filled(
                cells,
                tables.launches.c.rig == rig,
                tables.runs.c.round == round_number,
                tables.runs.c.variant.in_(variants),
            )
        }

    def all_done(self, cells: Collection[Cell], rig: str) -> set[Slot]:
        """Return every slot of these cells that is filled on this rig."""
        filled = self._filled(cells, tables.launches.c.rig == rig)
        return {Slot(cell_key=cell, round=number, repeat=repeat) for cell, _, number, repeat in filled}

    def done_counts(self, cells: Collection[Cell], rig: str, rounds: int, repeats: int) -> Counter[tuple[str, int]]:
        """Return how many slots are filled, by variant and round."""
        runs = tables.runs.c
        counts: Counter[tuple[str, int]] = Counter()
        on_this = tables.launches.c.rig == rig
        for _, variant, round_number, _ in self._filled(cells, on_this, runs.round <= rounds, runs.repeat <= repeats):
            counts[variant, round_number] += 1
        return counts

    def done_elsewhere(self, cells: Collection[Cell], rig: str) -> int:
        """Return how many slots of these cells are filled by runs on other rigs, which do not count on this one."""
        return sum(1 for _ in self._filled(cells, tables.launches.c.rig != rig))

    def _filled(self, cells: Collection[Cell], *which: Any) -> Iterator[tuple[str, str, int, int]]:
        """Yield (cell, variant, round, repeat) of each filled slot, each once."""
        limits = {cell.key: dict(cell.variant.limits.as_mapping()) for cell in cells}
        runs = tables.runs.c
        conditions = (
            *which, runs.place > 0, runs.warm_up.is_(False), runs.trial.is_(False), runs.voided.is_(None),
        )  # fmt: skip
        finished = (
            select(runs.cell, runs.variant, runs.round, runs.repeat)
            .join_from(tables.runs, tables.launches)
            .where(runs.status == FINISHED, *conditions)
            .distinct()
        )
        for row in self._rows(finished):
            if row.cell in limits:
                yield row.cell, row.variant, row.round, row.repeat
        failed = (
            select(runs.cell, runs.variant, runs.round, runs.repeat, tables.run_details.c.limits)
            .join_from(tables.runs, tables.launches)
            .join(tables.run_details, tables.run_details.c.run == runs.number)
            .where(runs.status.in_(FAILURES), *conditions)
        )
        seen = set()
        for row in self._rows(failed):
            slot = (row.cell, row.variant, row.round, row.repeat)
            under = {name: value for name, value in row.limits.items() if value is not None}
            if slot not in seen and limits.get(row.cell) == under and not self._is_finished(slot, conditions):
                seen.add(slot)
                yield slot

    def _is_finished(self, slot: tuple[str, str, int, int], conditions: Collection[Any]) -> bool:
        """Whether a run that finished fills this slot, under the same conditions."""
        cell, _, round_number, repeat = slot
        runs = tables.runs.c
        query = (
            select(runs.number)
            .join_from(tables.runs, tables.launches)
            .where(runs.status == FINISHED, runs.cell == cell, runs.round == round_number, runs.repeat == repeat)
            .where(*conditions)
        )
        return self._first(query.limit(1)) is not None

    def seen_runs(
        self, newest_first: bool = False, most: int | None = None, rig: str | None = None
    ) -> Iterator[SeenRun]:
        """Yield the runs of plans that began and are not voided, of the newest so many runs; of one machine, or all."""
        runs, launches = tables.runs.c, tables.launches.c
        since = 0 if most is None else select(func.coalesce(func.max(runs.number), 0) - most).scalar_subquery()
        names = ("number", "cell", "variant", "time_s", "steps", "status", "warm_up")
        query = (
            select(*(runs[name] for name in names), (runs.place == 1).label("cold"))
            .where(
                runs.number > since,
                runs.place > 0,
                runs.voided.is_(None),
                runs.trial.is_(False),
                runs.cell.not_like(CELL_FROM_ELSEWHERE + "%"),
                runs.cell.not_like(CELL_OF_EARLIER + "%"),
                *([runs.launch.in_(select(launches.number).where(launches.rig == rig))] if rig is not None else []),
            )
            .order_by(runs.number.desc() if newest_first else runs.number)
        )
        return self._values(SeenRun, query)
