"""Variants that put out the same whatever they are asked, or nothing: a likeness may praise both."""

from collections.abc import Mapping

import numpy as np

from unvek.core.evidence.counted_runs import Truths
from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.measurements import PoorOutputs
from unvek.core.evidence.outputs.arrays import Scores
from unvek.core.evidence.outputs.pictures import Pictures
from unvek.core.evidence.outputs.source import KeptOutputs, OutputError, Source
from unvek.core.evidence.outputs.sources import SOURCES
from unvek.core.logbook.store import Logbook
from unvek.core.measures.kind import PICTURES, SCORES, TEXTS

MOST_OPENED = 4  # different outputs of a variant: where these are all blank, the others hardly differ
LOOKED_AT = (PICTURES, TEXTS, SCORES)
SAME, BLANK = "same", "blank"


def poor_outputs(
    logbook: Logbook, evidence: Evidence, most: int | None = None, open_pictures: bool = False
) -> tuple[PoorOutputs, ...]:
    """Look at the outputs of each variant, one an item; at none where there are more than so many runs.

    Pictures are known by their digests, and opened only if that is wished: it takes a library that is slow to come.
    """
    if most is not None and np.count_nonzero(evidence.runs.finished) > most:
        return ()
    found, kept = [], KeptOutputs.of(logbook)
    for source in (SOURCES[sort](kept) for sort in LOOKED_AT):
        for variant in evidence.variants:
            mine = evidence.runs.finished & evidence.runs.made_here & evidence.runs.of_variant(variant.name)
            runs = _by_digest(source, _asked(evidence, source, mine))
            what = _fault(source, runs, is_opened=open_pictures or not isinstance(source, Pictures))
            if what is not None:
                found.append(PoorOutputs(variant=variant.name, sort=source.name, what=what))
    return tuple(found)


def _asked(evidence: Evidence, source: Source, mine: Truths) -> Mapping[int, int]:
    """Return a run for each thing that was asked: a task, and of pictures a seed.

    Who always takes the likeliest token writes the same whatever the seed, and nothing is wrong.
    """
    asked = evidence.runs.item if isinstance(source, Pictures) else evidence.runs.task_codes
    return dict(zip(asked[mine].tolist(), evidence.runs.number[mine].tolist(), strict=True))


def _by_digest(source: Source, runs: Mapping[int, int]) -> dict[str, list[int]]:
    """Return the runs that have an output of this sort, by what it is."""
    found: dict[str, list[int]] = {}
    for run in runs.values():
        try:
            found.setdefault(source.digest(run), []).append(run)
        except OutputError:
            continue
    return found


def _fault(source: Source, runs: Mapping[str, list[int]], is_opened: bool) -> str | None:
    """What is wrong with the outputs, if anything is."""
    if not runs:
        return None
    if is_opened and not isinstance(source, Scores):
        try:
            if all(_is_blank(_looked_at(source, of[0])) for of in list(runs.values())[:MOST_OPENED]):
                return BLANK
        except OutputError:
            pass  # a file that was changed is told elsewhere
    return SAME if len(runs) == 1 and sum(map(len, runs.values())) > 1 else None


def _looked_at(source: Source, run: int) -> object:
    return source.small(run) if isinstance(source, Pictures) else source.content(run)


def _is_blank(output: object) -> bool:
    """Whether a text is without a letter, or a picture all of one colour."""
    if isinstance(output, str):
        return not output.strip()
    colours = np.asarray(output).reshape(-1, 3)
    return bool(np.all(colours == colours[0]))
