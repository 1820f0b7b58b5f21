"""What the runs of a logbook took in memory, beyond weights and context: what such a model needs to work in."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from unvek.core.evidence.counted_runs import Truths
from unvek.core.evidence.evidence import Evidence
from unvek.core.measures.catalogue import MODEL_MEMORY, PEAK_MEMORY
from unvek.core.plan.digests import DigestCache
from unvek.core.plan.model import Variant
from unvek.core.weights.formats.contents import WeightsError
from unvek.core.weights.weighing import WeighedFile

DEVICE_MEMORY, TOKENS_IN, TOKENS_OUT = "memory.device", "input.tokens", "output.tokens"


@dataclass(frozen=True, slots=True, kw_only=True)
class MemoryTaken:
    """What a variant's runs took: of a typical start of its process the most that any run held.

    measure: memory.device, memory.model, or memory.peak where the others are not known of every variant. program_bytes
    is what interpreter and libraries hold beside the model; None where the measure has it in it. length: the tokens,
    in and out, of the longest run; 0 where none are told.
    """

    variant: str
    digests: frozenset[str]
    names: frozenset[str]
    measure: str
    peak_bytes: float
    program_bytes: float | None
    weights_bytes: int
    context_bytes: int
    length: int

    @property
    def working_bytes(self) -> float:
        """What is neither weights nor context."""
        return max(0.0, self.peak_bytes - self.weights_bytes - self.context_bytes)


Weighing = Callable[[Path, DigestCache], WeighedFile]


def memory_taken(evidence: Evidence, weigh: Weighing) -> tuple[MemoryTaken, ...]:
    """Return what the runs of each variant took whose weights are still what these runs were made with."""
    measure = _measure(evidence)
    with DigestCache() as digests:
        found = [_of_variant(evidence, variant, measure, weigh, digests) for variant in evidence.plan.variants]
    return tuple(one for one in found if one is not None)


def _measure(evidence: Evidence) -> str:
    """Return the measure of memory that every variant has: the device's own, where weights lie there."""
    values = evidence.values.of(DEVICE_MEMORY)
    finished = list(_finished_of_each(evidence))
    if finished and all(np.any(values[runs] > 0) for runs in finished):
        return DEVICE_MEMORY
    return evidence.memory


def _finished_of_each(evidence: Evidence) -> Iterator[Truths]:
    for variant in evidence.variants:
        runs = evidence.runs.of_variant(variant.name) & evidence.runs.finished
        if np.any(runs):
            yield runs


def _of_variant(
    evidence: Evidence, variant: Variant, measure: str, weigh: Weighing, digests: DigestCache
) -> MemoryTaken | None:
    runs = evidence.runs.of_variant(variant.name) & evidence.runs.finished
    peak = _of_typical_launch(evidence, measure, runs)
    if peak is None or not variant.weights:
        return None
    try:
        weighed = [weigh(path, digests) for path in variant.weights]
        if not _are_as_they_were(evidence, runs, variant, digests):
            return None
    except (WeightsError, OSError):
        return None  # gone, or in a form that is not read: what was taken can't be told apart then
    whole = _of_typical_launch(evidence, PEAK_MEMORY, runs) if measure == MODEL_MEMORY else None
    length = _longest(evidence, runs)
    return MemoryTaken(
        variant=variant.name, digests=frozenset(one.digest for one in weighed if one.digest is not None),
        measure=measure, peak_bytes=peak,
        names=frozenset(matrix.name for one in weighed for matrix in one.matrices),
        program_bytes=max(0.0, whole - peak) if whole is not None else None,
        weights_bytes=sum(one.data_bytes for one in weighed),
        context_bytes=sum(one.context.bytes_at(length) for one in weighed if one.context is not None), length=length,
    )  # fmt: skip


def _are_as_they_were(evidence: Evidence, runs: Truths, variant: Variant, digests: DigestCache) -> bool:
    """Whether the files are those that the latest of these runs was made with."""
    made_of = evidence.made_of.get(int(evidence.runs.number[np.flatnonzero(runs)[-1]]))
    files = (made_of.files if made_of is not None else None) or {}
    return all(
        digests.digest(Path(path)) == digest
        for path, digest in files.items()
        if any(Path(path) == one or Path(path).is_relative_to(one) for one in variant.weights)
    )


def _of_typical_launch(evidence: Evidence, measure: str, runs: Truths) -> float | None:
    """Return the median over launches of the most that any run of a launch held."""
    values = evidence.values.of(measure)
    known = runs & np.isfinite(values)
    if not np.any(known):
        return None
    launches = evidence.runs.launch[known]
    most = [float(np.max(values[known][launches == launch])) for launch in np.unique(launches)]
    return float(np.median(most))


def _longest(evidence: Evidence, runs: Truths) -> int:
    total = np.zeros(len(evidence.runs))
    for name in (TOKENS_IN, TOKENS_OUT):
        total += np.nan_to_num(evidence.values.of(name))
    return int(np.max(total[runs], initial=0.0))
