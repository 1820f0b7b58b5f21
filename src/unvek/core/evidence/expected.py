"""What tasks expect of outputs, thing by thing: as a program has found it, or else as judges say."""

from collections.abc import Mapping

import numpy as np

from unvek.core.evidence.evidence import Evidence


def points_of_runs(evidence: Evidence) -> Mapping[int, tuple[float | None, ...]]:
    """Return by run how much of each thing expected is there: 1, 0.5 or 0, None where that is not known."""
    measure = next((one for one in evidence.plan.measures if one.gives_points), None)
    if measure is None:
        return _as_judged(evidence)
    tasks = dict(zip(evidence.runs.number.tolist(), evidence.runs.rows.column("task"), strict=True))
    found: dict[int, dict[int, float]] = {}
    measured, values = evidence.values.measured, evidence.values
    for number, row in values.definitions.items():
        place, shown = measure.place_of_point(row.name), values.names[number]
        if place is None or shown is None:
            continue
        these = (measured.definitions == number) & np.isfinite(measured.values)
        for run, value in zip(measured.runs[these].tolist(), measured.values[these].tolist(), strict=True):
            if run in tasks and shown.of_task(tasks[run]):
                found.setdefault(run, {})[place] = value
    expected = {name: len(task.expect) for name, task in evidence.settings.tasks.items()}
    return {
        run: tuple(points.get(place) for place in range(1, expected.get(tasks[run], 0) + 1))
        for run, points in found.items()
    }


def _as_judged(evidence: Evidence) -> Mapping[int, tuple[float | None, ...]]:
    """Return by run how much of each thing expected is there, by the judge, or the people, who said so."""
    said = evidence.values.judged.points()
    tasks = dict(zip(evidence.runs.number.tolist(), evidence.runs.rows.column("task"), strict=True))
    found = {}
    for run, things in said.items():
        task = evidence.settings.tasks.get(tasks.get(run, ""))
        if task is not None:
            found[run] = tuple(things.get(thing) for thing in task.expect)
    return found
