"""Cold and warm: which launches were still getting faster after their warm-ups."""

import math
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from statistics import median

from unvek.core.logbook.store import Row
from unvek.core.run.record import FINISHED
from unvek.core.stats.trend import fall


@dataclass(frozen=True, slots=True, kw_only=True)
class Warming:
    """A launch whose runs went on getting faster: by what share of their time, from the first third to the last."""

    launch: int
    variant: str
    runs: int
    less_time_share: float


def still_warming(rows: Iterable[Row]) -> tuple[Warming, ...]:
    """Look at each launch's measured, finished runs, each against the usual time of its cell."""
    rows = [row for row in rows if row["status"] == FINISHED and row["time_s"] and not row["warm_up"]]
    by_cell: dict[str, list[float]] = defaultdict(list)
    by_launch: dict[int, list[Row]] = defaultdict(list)
    for row in rows:
        by_cell[row["cell"]].append(row["time_s"])
        by_launch[row["launch"]].append(row)
    usual = {cell: median(times) for cell, times in by_cell.items()}
    found = []
    for launch, runs in by_launch.items():
        runs.sort(key=lambda row: row["place"])
        fallen = fall([math.log(row["time_s"] / usual[row["cell"]]) for row in runs])
        if fallen is not None:
            found.append(
                Warming(
                    launch=launch,
                    variant=runs[0]["variant"],
                    runs=len(runs),
                    less_time_share=1 - math.exp(-fallen),
                )
            )
    return tuple(found)
