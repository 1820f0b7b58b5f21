"""safetensors: eight bytes with the header's length, the header as JSON, then the tensors' data without a gap.

The published layout is read here, within bounds of our own: a header of a megabyte is rare, one of 2**63 bytes a lie.
"""

from collections.abc import Mapping
from pathlib import Path

import msgspec

from unvek.core.weights.formats.bounded import BoundedReader, check_ranges
from unvek.core.weights.formats.contents import (
    LARGEST,
    MOST_DIMENSIONS,
    Contents,
    Packed,
    Tensor,
    WeightsError,
    check_count,
    checked_shape,
)

FORMAT = "safetensors"
LONGEST_HEADER = 12 * 2**20  # the header of a hundred thousand tensors
KEYS_OF_TENSOR, MOST_OTHER_KEYS = 4, 150_000  # its name, precision, shape and place; and those of metadata
METADATA = "__metadata__"
GROUPED = "grouped"  # of the metadata: which matrices are packed, as {"name": [bits, rows, columns]}
BITS: Mapping[str, int] = {
    "BOOL": 8, "U8": 8, "I8": 8, "F8_E5M2": 8, "F8_E4M3": 8, "F8_E8M0": 8, "F8_E4M3FNUZ": 8, "F8_E5M2FNUZ": 8,
    "F4": 4, "F6_E2M3": 6, "F6_E3M2": 6, "U16": 16, "I16": 16, "F16": 16, "BF16": 16, "U32": 32, "I32": 32, "F32": 32,
    "U64": 64, "I64": 64, "F64": 64, "C64": 64,
}  # fmt: skip


class _Entry(msgspec.Struct):
    dtype: str
    shape: list[int]
    data_offsets: tuple[int, int]


def read_safetensors(path: Path) -> Contents:
    """Read a file's header. WeightsError says why it is none; OSError where the file can't be opened."""
    with BoundedReader(path, LONGEST_HEADER + 8) as file:
        length = file.number("<Q")
        file.need(length)
        entries = _entries(file.read(length))
        metadata = _metadata(entries.pop(METADATA, None))
        data_bytes = file.size_bytes - file.place
    check_count(len(entries))
    decode = msgspec.json.Decoder(_Entry).decode
    tensors, ranges = [], []
    for name in list(entries):
        try:
            entry = decode(entries.pop(name))
        except (msgspec.MsgspecError, ValueError, RecursionError) as error:
            raise WeightsError(
                f"its header tells nothing of the tensor {name[:80]!r} that can be read: {error}"
            ) from error
        tensors.append(_tensor(name, entry))
        ranges.append((*entry.data_offsets, name))
    check_ranges(ranges, data_bytes, gapless=True)
    return Contents(format=FORMAT, tensors=tuple(tensors), metadata=metadata, packed=packed_in(metadata))


def _entries(header: bytes) -> dict[str, msgspec.Raw]:
    """Return what the header says of each name, not yet looked into: the whole of a hostile one would be large."""
    tensors = header.count(b'"data_offsets"')
    check_count(tensors)
    if header.count(b":") - KEYS_OF_TENSOR * tensors > MOST_OTHER_KEYS:
        raise WeightsError(f"its header says more than {MOST_OTHER_KEYS} things that are of no tensor")
    try:
        return msgspec.json.decode(header, type=dict[str, msgspec.Raw])
    except (msgspec.MsgspecError, ValueError, RecursionError) as error:
        raise WeightsError(f"its header is no JSON object: {error}") from error


def _metadata(found: msgspec.Raw | None) -> dict[str, str]:
    if found is None:
        return {}
    try:
        return msgspec.json.decode(found, type=dict[str, str])
    except (msgspec.MsgspecError, ValueError, RecursionError) as error:
        raise WeightsError(f"its metadata is no texts by name: {error}") from error


def _tensor(name: str, entry: _Entry) -> Tensor:
    bits = BITS.get(entry.dtype)
    if bits is None:
        raise WeightsError(f"the tensor {name[:80]!r} is of {entry.dtype[:20]!r}, which is no precision that is known")
    shape = checked_shape(name, entry.shape)
    begin, end = entry.data_offsets
    if not 0 <= begin <= end < LARGEST:
        raise WeightsError(f"the data of {name[:80]!r} ends before it begins")
    tensor = Tensor(name, entry.dtype, bits, shape, end - begin)
    if tensor.elements * bits != 8 * tensor.size_bytes:
        raise WeightsError(
            f"the tensor {name[:80]!r} has {tensor.elements} elements of {bits} bits in {end - begin} bytes"
        )
    return tensor


def packed_in(metadata: Mapping[str, str]) -> dict[str, Packed]:
    """Return which matrices a file's own metadata says are packed, and how; what can't be such is left out."""
    try:
        told = msgspec.json.decode(metadata.get(GROUPED, "{}"), type=dict[str, list[int]])
    except (msgspec.MsgspecError, ValueError, RecursionError):
        return {}
    found = {}
    for name, one in told.items():
        if not 2 <= len(one) <= MOST_DIMENSIONS:
            continue
        try:
            shape = checked_shape(name, one[1:])
        except WeightsError:
            continue
        if 1 <= one[0] <= 16:
            found[name] = Packed(one[0], shape)
    return found
