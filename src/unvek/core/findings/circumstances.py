"""What a reader must know of how the runs behind a result were made, as sentences."""

import numpy as np

from unvek.core.findings.evidence import Evidence
from unvek.core.findings.warming import Warming, still_warming
from unvek.core.units import counted


def circumstance_notes(evidence: Evidence) -> list[str]:
    """Return a sentence on each: cold figures, launches still warming, stand-ins, several rigs."""
    notes = []
    if evidence.only_cold:
        notes.append(f"Cold figures, each the first run of its process: {', '.join(evidence.only_cold)}. Set warmups "
                     "to 1 or more.")  # fmt: skip
    elif np.any(evidence.cold):
        notes.append(f"{counted(int(np.count_nonzero(evidence.cold)), 'cold run')} (the first of a process) counted in "
                     "no time here.")  # fmt: skip
    notes += [_warming_words(warming) for warming in still_warming(evidence.rows)]
    if evidence.simulated:
        notes.append(f"Simulated, measured on a stand-in for an accelerator: {', '.join(evidence.simulated)}.")
    rigs = {row["rig"] for row in evidence.rows}
    if len(rigs) > 1:
        notes.append(
            f"These runs were made on {len(rigs)} rigs: a difference may be the machines' and not the variants'."
        )
    return notes


def _warming_words(found: Warming) -> str:
    share = round(100 * found.less_time_share)
    return (f"Launch {found.launch} of {found.variant} was still getting faster after its warm-ups: its last runs took "
            f"{share} % less time than its first. More warm-ups would tell more.")  # fmt: skip
