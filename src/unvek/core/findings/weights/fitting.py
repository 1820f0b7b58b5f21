"""What fits: weights, context and working memory beside the room that there is, at several bits and lengths."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from statistics import median

from unvek.core.findings.weights.found import Foretold, Need
from unvek.core.findings.weights.measured import MemoryTaken
from unvek.core.rig.room import Room
from unvek.core.weights.layers import Context
from unvek.core.weights.weighing import WeighedFile

USUAL_BITS = (16.0, 8.0, 4.0, 3.0)
USUAL_LENGTHS = (1024, 4096, 16384)  # tokens, where the model does not say for how many it was made
SHORTER = (16, 4, 1)  # parts of what it was made for
ALIKE = 0.5  # of the matrices' names, in common, from which on two files are of one kind of model
SAME = 0.999  # from which on they are of one build: as many layers, say


@dataclass(frozen=True, slots=True, kw_only=True)
class Working:
    """What such models were seen to work in: typically, at least and at most; and what their program holds.

    The typical one is that of the variants that are built most alike: fewer layers work in less.
    """

    value: float
    low: float
    high: float
    program_bytes: float | None
    variants: int


def working_of(file: WeighedFile, taken: Sequence[MemoryTaken]) -> Working | None:
    """Return what variants of the same kind of model work in; None where none of these has run."""
    names = {matrix.name for matrix in file.matrices}
    shares = [len(names & one.names) / (len(names | one.names) or 1) for one in taken]
    alike = [(share, one) for share, one in zip(shares, taken, strict=True) if share >= ALIKE]
    if not alike:
        return None
    nearest = min(SAME, max(share for share, _ in alike))
    amounts = [one.working_bytes for _, one in alike]
    programs = [one.program_bytes for _, one in alike if one.program_bytes is not None]
    return Working(
        value=median(one.working_bytes for share, one in alike if share >= nearest), low=min(amounts),
        high=max(amounts), variants=len(alike), program_bytes=median(programs) if programs else None,
    )  # fmt: skip


def _is_of(file: WeighedFile, one: MemoryTaken) -> bool:
    return file.digest is not None and file.digest in one.digests


def needs_of(
    file: WeighedFile, room: Room, working: Working | None, bits: Sequence[float], lengths: Sequence[int | None]
) -> Iterator[Need]:
    """Yield what a file takes, as it is and at other bits, at each length.

    bits: of every weight of a matrix, scales and zero points counted; what is no matrix stays as it is.
    """
    if file.bits_per_weight is None:
        return
    as_it_is = (file.bits_per_weight, file.data_bytes, True)
    rows = [as_it_is, *((one, _at_bits(file, one), False) for one in dict.fromkeys(bits))]
    for row_bits, weights_bytes, is_as_it_is in sorted(rows, key=lambda row: -row[0]):
        for length in lengths:
            yield _need(file, row_bits, weights_bytes, is_as_it_is, length, room, working)


def other_bits(file: WeighedFile) -> list[float]:
    """Return the usual bits that are not about what the file has already."""
    own = file.bits_per_weight or 0.0
    return [bits for bits in USUAL_BITS if abs(bits - own) > 0.1 * bits]


def _at_bits(file: WeighedFile, bits: float) -> int:
    return sum(
        math.ceil(matrix.parameters * bits / 8) if matrix.is_matrix else matrix.size_bytes for matrix in file.matrices
    )


def lengths_for(contexts: Sequence[Context | None], asked: Sequence[int]) -> tuple[int | None, ...]:
    """Return the lengths at which something is to be said: what was asked for, or parts of what a model can."""
    if not any(contexts):
        return (None,)
    if asked:
        return tuple(sorted(set(asked)))
    longest = max((one.longest for one in contexts if one is not None and one.longest is not None), default=None)
    return USUAL_LENGTHS if longest is None else tuple(sorted({max(1, longest // part) for part in SHORTER}))


def _need(
    file: WeighedFile, bits: float, weights_bytes: int, is_as_it_is: bool, length: int | None, room: Room,
    working: Working | None,
) -> Need:  # fmt: skip
    context_bytes = file.context.bytes_at(length) if file.context is not None and length is not None else None
    program = (working.program_bytes if working is not None else None) or 0.0
    known = weights_bytes + (context_bytes or 0) + program
    needed, low, high = (known + (one or 0.0) for one in (
        (working.value, working.low, working.high) if working is not None else (None, None, None)
    ))  # fmt: skip
    over = max(0.0, needed - room.bytes)
    return Need(
        path=file.path, bits=bits, is_as_it_is=is_as_it_is, length=length, weights_bytes=weights_bytes,
        context_bytes=context_bytes, working_bytes=working.value if working is not None else None,
        program_bytes=working.program_bytes if working is not None else None, needed_bytes=needed, low_bytes=low,
        high_bytes=high, room_bytes=room.bytes, over_bytes=over,
        over_layers=_layers_over(file, weights_bytes + (context_bytes or 0), over),
        fits=needed <= room.bytes if (low <= room.bytes) == (high <= room.bytes) else None,
    )  # fmt: skip


def _layers_over(file: WeighedFile, in_layers: float, over: float) -> int | None:
    if not over or file.context is None or not in_layers:
        return None
    return min(file.context.layers, math.ceil(over * file.context.layers / in_layers))


def foretold_of(file: WeighedFile, taken: Sequence[MemoryTaken]) -> Foretold | None:
    """Return what the file's runs would have been said to take, from the runs of other weights; None without either."""
    own = next((one for one in taken if _is_of(file, one)), None)
    working = working_of(file, [one for one in taken if not _is_of(file, one)]) if own is not None else None
    if own is None or working is None or not own.peak_bytes:
        return None
    known = own.weights_bytes + own.context_bytes
    foretold = known + working.value
    return Foretold(
        path=file.path, variant=own.variant, measure=own.measure, length=own.length, foretold_bytes=foretold,
        low_bytes=known + working.low, high_bytes=known + working.high, measured_bytes=own.peak_bytes,
        off=foretold / own.peak_bytes - 1, from_variants=working.variants,
    )  # fmt: skip
