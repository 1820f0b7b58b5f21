"""How early an output is what it will be: the likeness of what was there after each step to what it came to."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from unvek.core.errors import InputError
from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.outputs.pictures import Pictures
from unvek.core.evidence.outputs.previews import Previews
from unvek.core.evidence.outputs.source import KeptOutputs, OutputError
from unvek.core.findings.curve.curve import Formed
from unvek.core.logbook.store import Logbook
from unvek.core.measures.kind import PICTURES, Kind
from unvek.core.measures.kinds import OUTPUT
from unvek.core.stats.grouping import Floats

NEAR = 0.05  # of the measure, where the plan's margin is no amount
FEWEST = 2


@dataclass(frozen=True, slots=True)
class Forming:
    """(n,) steps of a run with a preview, and how alike that is to the run's output; `of` how many steps there were."""

    at: Floats
    values: Floats
    of: int


def can_form(evidence: Evidence, measure: str) -> bool:
    """Whether a measure holds pictures against each other, so that previews can be too."""
    asked = evidence.plan.measure(measure)
    return asked is not None and asked.is_likeness and asked.of == PICTURES


def forming_of(logbook: Logbook, evidence: Evidence, measure: str) -> dict[int, Forming]:
    """Return by run how its previews come to be like its output, a run of each variant and item.

    Raises InputError where no run has kept previews.
    """
    asked = evidence.plan.measure(measure)
    assert asked is not None, "asked whether it can"
    kept = KeptOutputs.of(logbook, with_texts=False)
    previews, pictures = Previews(kept), Pictures(kept, asked.options.get(OUTPUT))
    runs = evidence.runs
    firsts = np.sort(np.concatenate([runs.first_of_items(variant.name) for variant in evidence.variants]))
    found = {}
    for place in firsts.tolist():
        number = int(runs.number[place])
        forming = _forming(asked.of_kind, previews, pictures, number, runs.rows[place].steps)
        if len(forming.at) >= FEWEST:
            found[number] = forming
    if not found:
        raise InputError(f'no run here has kept its previews, so {measure} is not known along it: previews = "all" in '
                         "the plan keeps them, where the script gives some")  # fmt: skip
    return found


def _forming(kind: Kind, previews: Previews, pictures: Pictures, number: int, of: int) -> Forming:
    at, values = [], []
    try:
        final = pictures.content(number)
        for step, picture in previews.along(number):
            at.append(float(step))
            values.append(kind.work_out(*pictures.arguments(kind, picture, final, ())))
    except (OutputError, ValueError):
        return Forming(np.zeros(0), np.zeros(0), of)  # no picture, or previews of another size
    return Forming(np.array(at), np.array(values), of)


def formed(evidence: Evidence, measure: str, formings: Sequence[Forming]) -> Formed:
    """Return after which step the picture is nearly what it comes to, of one variant's runs."""
    asked, margin = evidence.plan.measure(measure), evidence.margin(measure)
    near = margin.value if margin.is_absolute else NEAR
    same = asked.of_kind.same if asked is not None else None
    steps = [step for forming in formings if (step := settled_at(forming, near, same)) is not None]
    counts = {forming.of for forming in formings}
    is_known = len(steps) == len(formings)
    return Formed(
        steps=round(float(np.median(steps))) if is_known else None, low=min(steps) if is_known else None,
        high=max(steps) if is_known else None, of=counts.pop() if len(counts) == 1 else None, runs=len(formings),
        within=near,
    )  # fmt: skip


def settled_at(forming: Forming, near: float, same: float | None = None) -> int | None:
    """Return the first step from which on every preview is within `near` of what the end comes to."""
    end = float(forming.values[-1]) if same is None else same
    is_off = np.abs(forming.values - end) > near
    if is_off[-1]:
        return None
    first = int(np.flatnonzero(is_off)[-1]) + 1 if np.any(is_off) else 0
    return int(forming.at[first])
