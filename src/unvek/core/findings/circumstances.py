"""What a reader must know of how the runs behind a result were made, as sentences."""

from collections.abc import Collection, Sequence

import numpy as np

from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.outputs.source import tells_of_change
from unvek.core.evidence.warming import Warming
from unvek.core.run.events.record import BY_HAND, IMPORTED, SIMULATED
from unvek.core.units import counted, few_of

MOST_NAMED = 4  # runs


def circumstance_notes(
    evidence: Evidence, with_warming: bool = True, measures: Collection[str] | None = None
) -> list[str]:
    """Return a sentence on each: cold figures, launches still warming (if wanted), stand-ins, several rigs.

    measures: that the result shows; the scores if None.
    """
    runs, notes = evidence.runs, []
    if runs.only_cold:
        notes.append(f"Cold figures, each the first run of its process: {', '.join(runs.only_cold)}. Set warmups "
                     "to 1 or more.")  # fmt: skip
    elif np.any(runs.cold):
        notes.append(f"{counted(int(np.count_nonzero(runs.cold)), 'cold run')} (the first of a process) counted in "
                     "no time here.")  # fmt: skip
    notes += _warming_notes(runs.still_warming) if with_warming else []
    for source, words in (
        (SIMULATED, "Simulated, measured on a stand-in"),
        (IMPORTED, "Imported, not measured here"),
        (BY_HAND, "Timed by hand"),
    ):
        of = runs.variants_from(source)
        if of:
            notes.append(f"{words}: {', '.join(of)}.")
    notes += _usual_notes(evidence)
    notes += _measuring_notes(evidence, evidence.values.score_names if measures is None else measures)
    notes += _settling_notes(evidence)
    rigs = runs.rows.coded("rig").values
    if len(rigs) > 1 and not evidence.by_rig:
        notes.append(
            f"These runs were made on {len(rigs)} machines, each paired with itself; intervals are over rounds and say "
            "nothing of other machines: 'unvek compare --by rig' does."
            if set(rigs) <= set(runs.machines)
            else f"These runs were made on {len(rigs)} rigs: a difference may be the machines' and not the variants'."
        )
    return notes


def _usual_notes(evidence: Evidence) -> list[str]:
    """Say what is measured though the plan does not ask for it, and what has to wait."""
    notes = []
    if evidence.usual:
        names = ", ".join(measure.name for measure in evidence.usual)
        verb = "are" if len(evidence.usual) > 1 else "is"
        notes.append(
            f"The plan asks for no measure of its outputs: {names} {verb} what fits them; [[measures]] says otherwise."
        )
    if evidence.plan.keeps_previews:
        notes.append("These runs have kept every preview, which takes time: they count for no time.")
    if evidence.waiting:
        notes.append(
            f"{counted(evidence.waiting, 'value')} of outputs not worked out yet: that waits until no runs are being "
            "made on this machine, which it would disturb."
        )
    return notes


def _measuring_notes(evidence: Evidence, measures: Collection[str]) -> list[str]:
    """Say which measures lack values since files were changed, and which names stand for more than one thing."""
    notes = []
    changed = sorted({*evidence.changed, *(one.run for one in evidence.without if tells_of_change(one.why))})
    if changed:
        notes.append(
            f"Outputs of {_named(changed)} are not as they were made any more (the files were changed, or are gone): "
            "nothing is measured of them but what was known before."
        )
    return notes + [
        f"{name} was come by in more than one way, and no plan says which is meant: the latest counts."
        for name in evidence.values.names.several_ways
        if name in measures
    ]


def _named(runs: Sequence[int]) -> str:
    return f"run{'' if len(runs) == 1 else 's'} {few_of(runs, MOST_NAMED)}"


def _settling_notes(evidence: Evidence) -> list[str]:
    """Say how many rounds were added, and what is not known as well as the plan asked in spite of them."""
    schedule, pilot = evidence.plan.schedule, evidence.pilot
    precision, made = schedule.settle_to, int(evidence.runs.round.max(initial=0))
    if pilot is None or precision is None:
        return []
    notes = [f"Rounds were added until each ratio of times is known to {100 * precision:.2g} %: {made} in all. "
             f"Intervals go by the spread of the first {pilot}, which decided how many, so that the adding does not "
             "spoil them."]  # fmt: skip
    wide = []
    for variant in evidence.variants:
        ratio = evidence.ratio_to_reference("time.total", variant.name)
        if ratio is not None and ratio.high is not None and ratio.high / ratio.value > 1 + 1.1 * precision:
            wide.append(f"{variant.name} (to {100 * (ratio.high / ratio.value - 1):.2g} %)")
    if wide:
        notes.append(f"Not known that well: {', '.join(wide)}; {schedule.most_rounds} are the most rounds.")
    return notes


def _warming_notes(still: Sequence[Warming]) -> list[str]:
    """Say in one sentence which launches were not warm yet."""
    if not still:
        return []
    named = [f"launch {one.launch} of {one.variant} (by {100 * one.less_time_share:.0f} %)" for one in still]
    said, their = ("was", "its") if len(still) == 1 else ("were", "their")
    return [
        f"Not warm yet after {their} warm-ups {said} {few_of(named, MOST_NAMED)}: {their} last runs took so much less "
        f"time than {their} first. More warm-ups would tell more."
    ]
