"""What a reader must know of what good outputs cost: how many are good, and of how many that is known."""

from collections.abc import Iterator, Sequence

import numpy as np

from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.comparison.found import ComparisonRow
from unvek.core.units import counted


def cost_notes(evidence: Evidence, rows: Sequence[ComparisonRow]) -> Iterator[str]:
    """Say how many outputs of each variant meet the plan's needs, those that failed among the others."""
    said, unknown = [], []
    for name in dict.fromkeys(row.variant for row in rows):
        mine = evidence.runs.of_variant(name)
        good = evidence.values.costs.good[mine]
        known = np.isfinite(good)
        if np.any(known):
            said.append(f"{name} {int(np.nansum(good))} of {int(np.count_nonzero(known))}")
        if np.any(~known & evidence.runs.finished[mine]):
            unknown.append(f"{name} of {counted(int(np.count_nonzero(~known & evidence.runs.finished[mine])), 'run')}")
    needs = " and ".join(evidence.plan.needs)
    if said:
        yield f"Good outputs ({needs}), runs that failed counted as none: {', '.join(said)}."
    if unknown:
        yield f"Not known to be good or not: {', '.join(unknown)}."
