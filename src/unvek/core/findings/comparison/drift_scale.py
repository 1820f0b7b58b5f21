"""What the drift scale rests on: whether the reference repeats itself at one seed, and differs between seeds."""

from collections.abc import Iterator

import numpy as np

from unvek.core.evidence.evidence import Evidence

SURE_SHARE = 0.01  # of what another seed makes of it


def drift_notes(evidence: Evidence, name: str) -> Iterator[str]:
    """Say where 0 of the drift scale is no repetition, or 1 no other output; nothing where all is as it should be."""
    if name not in evidence.values.likeness_names:
        return
    others, _ = evidence.values.likeness_to_other_seeds(name)
    mine = evidence.runs.of_variant(evidence.reference)
    reruns = evidence.values.of(name)[mine]
    reruns = reruns[np.isfinite(reruns)]
    same = evidence.values.kind_of(name).same
    if evidence.held.asked_anew:
        scale = ", and 0 of drift is the same output" if same is not None and len(others) else ""
        yield (f"Each request has a nonce, so that {evidence.reference} is never asked the same twice: outputs are "
               f"held against its own of the same session, round and repeat{scale}.")  # fmt: skip
        return
    if not len(reruns) or not len(others):
        return
    apart = abs(float(reruns.mean()) - float(others.mean()))
    if apart <= SURE_SHARE * max(abs(float(reruns.mean())), abs(float(others.mean())), 1e-12):
        yield (f"{evidence.reference} has no variety between seeds by {name}: another seed's output is as like as a "
               "rerun's, and its drift means nothing.")  # fmt: skip
        return
    if same is not None and abs(float(reruns.mean()) - same) > SURE_SHARE * apart:
        yield (f"{evidence.reference} does not repeat itself at one seed: by {name} its reruns come to "
               f"{float(reruns.mean()):.3g}, where the same output again is {same:.3g}. That is the 0 of drift: what "
               "lies near it may be luck.")  # fmt: skip
