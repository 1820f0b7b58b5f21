"""What is in a model's weights: how many there are, how many bits each has in truth, and what is left as it was."""

import hashlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from unvek.core.plan.digests import DigestCache
from unvek.core.units import few_of
from unvek.core.weights.files import Read, read_model
from unvek.core.weights.formats.contents import Contents, Packed
from unvek.core.weights.layers import Context, context_of
from unvek.core.weights.matrices import Matrix, matrices_of

LONGEST_VALUE, MOST_VALUES = 400, 200  # of metadata that is shown
MOST_NAMED = 4


@dataclass(frozen=True, slots=True, kw_only=True)
class PrecisionShare:
    """The weights of one precision, and the bytes of all that is kept of them: codes, scales, zero points."""

    name: str
    parameters: int
    bytes: int
    matrices: int


@dataclass(frozen=True, slots=True, kw_only=True)
class WeighedFile:
    """One model. bits_per_weight counts every byte of the tensors' data; None where it has no weights.

    bytes: of its files. whole: the matrices that a quantized model keeps as floats of 16 bits and more, the largest
    first. matrices are there for holding two files beside each other.
    """

    path: str
    format: str
    bytes: int
    data_bytes: int
    digest: str | None
    files: int
    tensors: int
    parameters: int
    bits_per_weight: float | None
    precisions: tuple[PrecisionShare, ...]
    whole: tuple[str, ...]
    metadata: Mapping[str, str]
    context: Context | None
    notes: tuple[str, ...]
    matrices: tuple[Matrix, ...] = field(metadata={"json": False})

    @property
    def whole_parameters(self) -> int:
        return sum(matrix.parameters for matrix in self.matrices if matrix.is_whole)

    @property
    def is_quantized(self) -> bool:
        return any(matrix.is_quantized for matrix in self.matrices)


def weigh(path: Path, digests: DigestCache | None, bits: int | None = None) -> WeighedFile:
    """Read the headers of a model's files, and say what is in them.

    digests: reads every file once for its digest; None where that is not wanted. bits: of a packed code, where nothing
    tells it. WeightsError names the file and says why it can't be read.
    """
    read = read_model(path)
    contents = read.contents
    if bits is not None:
        contents = replace(contents, packed={**_packed_by_hand(contents, bits), **contents.packed})
    contents = _with_configured_bits(contents)
    matrices, unclear = matrices_of(contents)
    data_bytes = sum(tensor.size_bytes for tensor in contents.tensors)
    parameters = sum(matrix.parameters for matrix in matrices)
    return WeighedFile(
        path=str(path), format=contents.format, bytes=sum(file.stat().st_size for file in read.files),
        data_bytes=data_bytes, digest=_digest(read, digests) if digests is not None else None, files=len(read.files),
        tensors=len(contents.tensors), parameters=parameters,
        bits_per_weight=8 * data_bytes / parameters if parameters else None, precisions=_precisions(matrices),
        whole=_whole(matrices), metadata=_shown(contents.metadata),
        context=context_of(contents.settings, contents.metadata), notes=tuple(_notes(read, unclear)),
        matrices=matrices,
    )  # fmt: skip


def _packed_by_hand(contents: Contents, bits: int) -> Mapping[str, Packed]:
    _, unclear = matrices_of(contents)
    return {stem: Packed(bits) for stem in unclear}


def _with_configured_bits(contents: Contents) -> Contents:
    """Take from the model's folder how many bits its codes have, where neither file nor zero points tell."""
    bits = _configured_bits(contents.settings.get("quantization_config"))
    return (
        contents if bits is None else replace(contents, packed={**_packed_by_hand(contents, bits), **contents.packed})
    )


def _configured_bits(told: Any) -> int | None:
    if not isinstance(told, dict):
        return None
    if told.get("load_in_4bit") is True:
        return 4
    found = next((told[name] for name in ("bits", "num_bits", "w_bit", "weight_bits") if name in told), None)
    groups = told.get("config_groups")
    if found is None and isinstance(groups, dict) and len(groups) == 1:
        (group,) = groups.values()
        weights = group.get("weights") if isinstance(group, dict) else None
        found = weights.get("num_bits") if isinstance(weights, dict) else None
    return found if type(found) is int and 1 <= found <= 8 else None


def _precisions(matrices: Iterable[Matrix]) -> tuple[PrecisionShare, ...]:
    together: dict[str, list[Matrix]] = {}
    for matrix in matrices:
        together.setdefault(matrix.precision, []).append(matrix)
    found = [
        PrecisionShare(
            name=name, parameters=sum(one.parameters for one in theirs), bytes=sum(one.size_bytes for one in theirs),
            matrices=len(theirs),
        )
        for name, theirs in together.items()
    ]  # fmt: skip
    return tuple(sorted(found, key=lambda share: (-share.parameters, share.name)))


def _whole(matrices: Sequence[Matrix]) -> tuple[str, ...]:
    """Return what a quantized model keeps whole; of a model that is whole nothing: that is all of it."""
    if not any(matrix.is_quantized for matrix in matrices):
        return ()
    whole = sorted((matrix for matrix in matrices if matrix.is_whole), key=lambda one: (-one.parameters, one.name))
    return tuple(matrix.name for matrix in whole)


def _shown(metadata: Mapping[str, str]) -> dict[str, str]:
    return {key[:LONGEST_VALUE]: value[:LONGEST_VALUE] for key, value in list(metadata.items())[:MOST_VALUES]}


def _notes(read: Read, unclear: Sequence[str]) -> Iterable[str]:
    if unclear:
        yield (
            f"{read.path.name}: there are integers with scales beside them ({few_of(unclear, MOST_NAMED)}), and "
            "nothing tells how many weights an integer holds: each is counted as one. --packed N says it."
        )
    if read.left_out:
        names = [path.name for path in read.left_out]
        yield f"{read.path.name}: not in the index, so not counted: {few_of(names, MOST_NAMED)}."


def _digest(read: Read, digests: DigestCache) -> str:
    """Return a file's digest; of several files that of their names and digests."""
    if len(read.files) == 1:
        return digests.digest(read.files[0])
    folder = read.path if read.path.is_dir() else read.path.parent
    lines = [f"{file.relative_to(folder)} {digests.digest(file)}\n" for file in sorted(read.files)]
    return hashlib.sha256("".join(lines).encode("utf-8", "surrogateescape")).hexdigest()
