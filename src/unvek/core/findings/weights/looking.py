"""A look at weights: each file weighed, each held beside the first, and what fits where that is asked."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.weights.fitting import foretold_of, lengths_for, needs_of, other_bits, working_of
from unvek.core.findings.weights.found import Need, WeightsFound
from unvek.core.findings.weights.measured import MemoryTaken, memory_taken
from unvek.core.plan.digests import DigestCache
from unvek.core.rig.room import Room
from unvek.core.units import bytes_words, counted
from unvek.core.weights.beside import beside
from unvek.core.weights.weighing import WeighedFile, weigh


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """What is to fit where: room is the memory there is; bits and lengths replace the usual ones.

    Of one file what it would take at other bits is said, too; of several only where these are asked for.
    """

    room: Room
    bits: tuple[float, ...] = ()
    lengths: tuple[int, ...] = ()


def look_at_weights(
    paths: Sequence[Path], digests: DigestCache | None, packed_bits: int | None = None, asked: Asked | None = None,
    evidence: Evidence | None = None,
) -> WeightsFound:  # fmt: skip
    """Weigh models, and say what fits if that is asked. WeightsError names a file that can't be read.

    evidence: of runs, whose memory is what forecasts rest on; without it working memory is not known.
    """
    files = tuple(weigh(path, digests, packed_bits) for path in dict.fromkeys(paths))
    pairs = tuple(beside(files[0], other) for other in files[1:])
    notes = [note for file in files for note in file.notes]
    if asked is None:
        return WeightsFound(files=files, beside=pairs, notes=tuple(notes))
    taken = memory_taken(evidence, lambda path, known: weigh(path, known, packed_bits)) if evidence is not None else ()
    lengths = lengths_for([file.context for file in files], asked.lengths)
    needs: list[Need] = []
    for file in files:
        bits = asked.bits or (other_bits(file) if len(files) == 1 else ())
        needs += needs_of(file, asked.room, working_of(file, taken), bits, lengths)
    notes += _notes(files, taken)
    if any(need.fits is None for need in needs):
        notes.append("perhaps: it fits with the least that such models were seen to work in, and not with the most.")
    if any(not need.is_as_it_is for need in needs):
        notes.append("supposed: the matrices at so many bits a weight, all told; what is no matrix as it is.")
    foretold = tuple(one for file in files if (one := foretold_of(file, taken)) is not None)
    return WeightsFound(
        files=files, beside=pairs, room=asked.room, needs=tuple(needs), foretold=foretold, notes=tuple(notes)
    )


def _notes(files: Sequence[WeighedFile], taken: Sequence[MemoryTaken]) -> list[str]:
    notes = []
    if any(file.context is None for file in files):
        notes.append(
            "What a context takes is not told by every file: no layers, heads and widths are named in it or in a "
            "config.json beside it. A model that writes no text may need none."
        )
    known = [working for file in files if (working := working_of(file, taken)) is not None]
    if not known:
        notes.append(
            "What such models work in is not known, and is in none of these sums: no run of one is in this logbook. "
            "It may be more than the weights."
        )
    else:
        most = max(known, key=lambda working: working.variants)
        program = f", its program {bytes_words(most.program_bytes)} more" if most.program_bytes is not None else ""
        notes.append(
            f"Working memory is what runs of {counted(most.variants, 'variant')} of this kind took beyond weights and "
            f"context: {bytes_words(most.value)} as a rule "
            f"({bytes_words(most.low)} to {bytes_words(most.high)}){program}."
        )
    return notes
