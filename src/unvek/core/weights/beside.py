"""Two models beside each other: which matrices changed their precision, and what that saves."""

from dataclasses import dataclass

from unvek.core.weights.matrices import Matrix
from unvek.core.weights.weighing import WeighedFile


@dataclass(frozen=True, slots=True, kw_only=True)
class PrecisionChange:
    """The matrices that one model has in one precision and another model in another, and what that saves."""

    before: str
    now: str
    matrices: int
    parameters: int
    before_bytes: int
    now_bytes: int
    names: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Beside:
    """One model held beside the first: what changed its precision, what is in one alone, and what has another size."""

    first: str
    second: str
    changes: tuple[PrecisionChange, ...]
    same: int
    saved_bytes: int
    first_alone: tuple[str, ...]
    second_alone: tuple[str, ...]
    other_size: tuple[str, ...]


def beside(first: WeighedFile, second: WeighedFile) -> Beside:
    """Hold one model's matrices beside another's, by name."""
    theirs, ours = ({matrix.name: matrix for matrix in one.matrices} for one in (first, second))
    both = [(theirs[name], ours[name]) for name in theirs if name in ours]
    other_size = [before.name for before, now in both if before.parameters != now.parameters]
    changed: dict[tuple[str, str], list[tuple[Matrix, Matrix]]] = {}
    for before, now in both:
        if before.precision != now.precision and before.parameters == now.parameters:
            changed.setdefault((before.precision, now.precision), []).append((before, now))
    changes = [
        PrecisionChange(
            before=was, now=becomes, matrices=len(pairs), parameters=sum(now.parameters for _, now in pairs),
            before_bytes=sum(before.size_bytes for before, _ in pairs),
            now_bytes=sum(now.size_bytes for _, now in pairs),
            names=tuple(now.name for _, now in sorted(pairs, key=lambda pair: (-pair[1].parameters, pair[1].name))),
        )
        for (was, becomes), pairs in changed.items()
    ]  # fmt: skip
    return Beside(
        first=first.path, second=second.path,
        changes=tuple(sorted(changes, key=lambda one: one.now_bytes - one.before_bytes)),
        same=len(both) - len(other_size) - sum(change.matrices for change in changes),
        saved_bytes=first.data_bytes - second.data_bytes,
        first_alone=tuple(name for name in theirs if name not in ours),
        second_alone=tuple(name for name in ours if name not in theirs), other_size=tuple(other_size),
    )  # fmt: skip
