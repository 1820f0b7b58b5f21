"""Frames that do not belong among the others: is it a variant's doing, or that of what all variants share?"""

from collections.abc import Iterator, Mapping
from itertools import islice

import numpy as np

from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.outputs.pictures import Pictures
from unvek.core.evidence.outputs.source import KeptOutputs, OutputError
from unvek.core.findings.audit.confounder import DOUBT, NOTE, Confounder
from unvek.core.logbook.store import Logbook
from unvek.core.measures.frames import bad_frames
from unvek.core.measures.kinds import OUTPUT
from unvek.core.units import counted

KIND = "bad-frames"
MOST_OPENED = 3  # clips of a variant, each of another item
MAKING = {"quantized": "quantizing", "distilled": "distilling", "tuned": "tuning", "mixed": "mixing"}


def frame_findings(logbook: Logbook, evidence: Evidence) -> Iterator[Confounder]:
    """Name the frames that are bad in each clip of a variant, as far as was looked; nothing where none is measured."""
    asked = [measure for measure in evidence.plan.measures if measure.kind == KIND]
    if not any(np.nansum(evidence.values.of(measure.name)) > 0 for measure in asked):
        return
    kept = KeptOutputs.of(logbook, with_texts=False)
    for measure in asked:
        pictures = Pictures(kept, measure.options.get(OUTPUT))
        bad = {
            v.name: found for v in evidence.variants if (found := _always_bad(evidence, pictures, v.name)) is not None
        }
        in_all = set.intersection(*bad.values()) if bad else set()
        if in_all and len(bad) > 1:
            yield _of_every_variant(evidence, in_all, bad)
        for name, frames in bad.items():
            if own := frames - in_all:
                yield Confounder(
                    code="frames-bad", severity=DOUBT, variants=(name,),
                    text=f"{_named(own)} {_verb(own)} bad in each clip of {name}, as far as was looked.",
                    why="They differ from their neighbours far more than the others do.",
                    mend="Look at them with 'unvek sheet'.",
                )  # fmt: skip


def _of_every_variant(evidence: Evidence, frames: set[int], bad: Mapping[str, set[int]]) -> Confounder:
    making = dict.fromkeys(MAKING[variant.form] for variant in evidence.variants if variant.form in MAKING)
    cause = f"the {' or the '.join(making)}" if making else "what tells the variants apart"
    return Confounder(
        code="frames-bad-everywhere", severity=NOTE, variants=tuple(bad),
        text=f"{_named(frames)} {_verb(frames)} bad in every variant: it is not {cause}.",
        why="What all variants share spoils them, such as the decoder, or how frames are saved.",
        mend="Look at them with 'unvek sheet', and at what comes before the first good frame in the script.",
    )  # fmt: skip


def _always_bad(evidence: Evidence, pictures: Pictures, variant: str) -> set[int] | None:
    """Return which frames are bad in each of a variant's clips that were looked at; None where there are none."""
    numbers = evidence.runs.number[evidence.runs.first_of_items(variant)].tolist()
    found = [set(frames) for frames in islice(_bad(pictures, numbers), MOST_OPENED)]
    return set.intersection(*found) if found else None


def _bad(pictures: Pictures, numbers: list[int]) -> Iterator[list[int]]:
    for number in numbers:
        try:
            yield bad_frames(pictures.content(number))
        except (OutputError, ValueError):
            continue  # no clip, or not the file any more that the run made: told elsewhere


def _named(frames: set[int]) -> str:
    if frames == set(range(len(frames))):
        return f"The first {counted(len(frames), 'frame')}" if len(frames) > 1 else "The first frame"
    places = ", ".join(str(place + 1) for place in sorted(frames))
    return f"Frame{'' if len(frames) == 1 else 's'} {places}"


def _verb(frames: set[int]) -> str:
    return "is" if len(frames) == 1 else "are"
