"""The order of launches: what one leaves behind for the next."""

from collections.abc import Iterator

import numpy as np

from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.audit.confounder import DOUBT, Confounder
from unvek.core.measures.catalogue import TIME
from unvek.core.stats.over_launches.carry_over import LeftBehind, carry_over
from unvek.core.stats.over_launches.launches import level_by_launch

LEAST_TOLD = 0.005  # of a launch's time
NOBODY = -1


def order_findings(evidence: Evidence) -> Iterator[Confounder]:
    """Tell of the variant that leaves most behind: against it, the others seem to leave less than nothing."""
    found = left_behind(evidence)
    if found is None:
        return
    names = [variant.name for variant in evidence.variants]
    balanced = evidence.plan.schedule.order == "balanced"
    place = int(np.argmax(np.abs(found.values)))
    share, low, high = (float(of[place]) for of in (found.values, found.lows, found.highs))
    if abs(share) < LEAST_TOLD or low <= 0 <= high:
        return
    takes = f"{100 * abs(share):.1f} % {'longer' if share > 0 else 'less'}"
    ends = sorted(100 * abs(end) for end in (low, high))
    yield Confounder(
        code="carry-over", severity=DOUBT, variants=tuple(name for name in names if name != names[place]),
        text=f"The launch after one of {names[place]} takes {takes} than after the others "
             f"(95 % interval {ends[0]:.1f} to {ends[1]:.1f} %).",
        why="Heat, memory or caches that it leaves behind count against, or for, whoever comes next."
            + (" In a balanced order that falls on all others alike, and not on itself." if balanced else ""),
        mend="Set a pause in [schedule]" + ("." if balanced else ", and order = \"balanced\"."),
    )  # fmt: skip


def left_behind(evidence: Evidence) -> LeftBehind | None:
    """Return what each variant, by its place among them, leaves behind; None where the order does not tell."""
    places = {variant.name: place for place, variant in enumerate(evidence.variants)}
    levels = {
        launch: level
        for variant in evidence.variants
        for launch, level in level_by_launch(evidence.sample(TIME, evidence.runs.of_variant(variant.name))).items()
    }
    # Machines of a team make launches at once: what came before a launch is what its own session made before it.
    rows = sorted(evidence.runs.every_launch, key=lambda launch: (launch.session or 0, launch.number))
    before = dict(zip((row.number for row in rows[1:]), rows, strict=False))
    made = [row for row in rows if row.number in levels and row.variant in places]
    if not made:
        return None
    previous = [before.get(row.number) for row in made]
    return carry_over(
        np.array([levels[row.number] for row in made]),
        np.array([places[row.variant] for row in made]),
        np.array([row.round for row in made]),
        np.array([
            places.get(last.variant, NOBODY) if last is not None and last.session == row.session else NOBODY
            for row, last in zip(made, previous, strict=True)
        ]),
    )  # fmt: skip
