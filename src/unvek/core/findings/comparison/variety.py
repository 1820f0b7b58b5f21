"""Whether a variant has lost its variety: how far its outputs of one prompt lie apart over seeds."""

from collections.abc import Iterator, Sequence

import numpy as np

from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.comparison.found import ComparisonRow
from unvek.core.findings.comparison.sentences import named
from unvek.core.measures.kind import ARRAYS, OTHER_SEEDS, PICTURES, SOUNDS, TEXTS

NUMBERS = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve")
WHAT = {PICTURES: "pictures", SOUNDS: "sounds", TEXTS: "texts", ARRAYS: "arrays"}


def variety_notes(evidence: Evidence, rows: Sequence[ComparisonRow], name: str) -> Iterator[str]:
    """Say of each variant how much its outputs of one prompt differ, as against the reference's; nothing of others."""
    measure = evidence.plan.measure(name)
    if measure is None or measure.against != OTHER_SEEDS:
        return
    many, what = _seeds(evidence, name), WHAT.get(measure.of, "outputs")
    said = []
    for row in rows:
        found = row.measures[name]
        ratio = found.ratio
        if row.variant == evidence.reference:
            continue
        if found.typical == 0:
            said.append(f"{named(row)}'s {many}{what} of one prompt do not differ at all")
        if ratio is None:
            continue
        ends = "" if ratio.low_together is None or ratio.high_together is None else (
            f" ({ratio.low_together:.2f} to {ratio.high_together:.2f})")  # fmt: skip
        said.append(f"{named(row)}'s {many}{what} of one prompt differ {ratio.value:.2f} times as much as "
                    f"{evidence.reference}'s{ends}")  # fmt: skip
    if said:
        yield f"By {name}, {'; '.join(said)}."


def _seeds(evidence: Evidence, name: str) -> str:
    """Word how many seeds a task has, where all of those that have several have as many."""
    runs = evidence.runs
    known = np.isfinite(evidence.values.of(name))
    counts = {
        len(np.unique(runs.seed[known & (runs.task_codes == task)])) for task in np.unique(runs.task_codes[known])
    }
    if len(counts) != 1:
        return ""
    (many,) = counts
    return f"{NUMBERS[many] if many < len(NUMBERS) else many} "
