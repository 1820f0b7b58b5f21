"""The drift scale: where a likeness lies between a rerun of the reference (0) and another seed of it (1)."""

import numpy as np

from unvek.core.evidence.counted_runs import Floats, Truths
from unvek.core.evidence.evidence import Evidence


def drift_of(evidence: Evidence, name: str, values: Floats, mine: Truths) -> float | None:
    """Return where a variant's mean likeness lies between the reference's rerun (0) and its other seeds (1)."""
    others = evidence.values.likeness_to_other_seeds(name)
    own = values[evidence.runs.of_variant(evidence.reference)]
    own, ours = own[np.isfinite(own)], values[mine][np.isfinite(values[mine])]
    if not (len(others) and len(own) and len(ours)) or own.mean() == others.mean():
        return None
    return float((own.mean() - ours.mean()) / (own.mean() - others.mean()))
