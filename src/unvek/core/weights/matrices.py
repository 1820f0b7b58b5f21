"""Tensors as the matrices that they stand for: packed codes, their scales and their zero points are one.

A file of packed weights has bytes where its model has weights. How many weights there are is known where the file or
its folder says how they are packed, where a codebook or zero points beside them give it away, or where the format has
a type for it; and where nothing does, that is said.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from math import log2, prod

from unvek.core.weights.formats.contents import Contents, Packed, Tensor

# What stands beside codes, and how the codes themselves are called, by the end of a tensor's name.
_BESIDE = re.compile(
    r"[._](?:weight[._]|q)?(?:(?P<scale>scales?|scale_inv|absmax)|(?P<zero>zeros?|zero_points?|zp|smallest|mins?|offsets?)|"
    r"(?P<book>quant_map|codebook)|nested_absmax|nested_quant_map|quant_state[\w.]*|g_idx|perm|shape|scb)$",
    re.IGNORECASE | re.ASCII,
)
_CODES = re.compile(r"[._](?:q?weight|weight_packed|packed|codes?|quantized|blocks)$", re.IGNORECASE | re.ASCII)
# One name for a precision, whatever a format calls it; a format's own blocks keep their names.
_NAMES: Mapping[str, str] = {
    "F64": "float64", "F32": "float32", "F16": "float16", "BF16": "bfloat16", "DOUBLE": "float64", "FLOAT": "float32",
    "FLOAT16": "float16", "BFLOAT16": "bfloat16", "I64": "int64", "I32": "int32", "I16": "int16", "I8": "int8",
    "U64": "uint64", "U32": "uint32", "U16": "uint16", "U8": "uint8", "BOOL": "bool", "F4": "float4",
    "F8_E4M3": "float8 e4m3", "F8_E5M2": "float8 e5m2", "FLOAT8E4M3FN": "float8 e4m3", "FLOAT8E5M2": "float8 e5m2",
}  # fmt: skip
_WHOLE = ("float64", "float32", "float16", "bfloat16")
_ELSE_UNPACKED = ("int8", "float4")  # as codes, these are one weight an element
MOST_BITS = 8  # of codes; what has more is kept as a number of its own, or holds several


@dataclass(frozen=True, slots=True, kw_only=True)
class Matrix:
    """What a model multiplies by, or adds: its weights, and the bytes of all that is kept of them."""

    name: str
    precision: str
    parameters: int
    size_bytes: int
    is_matrix: bool  # of two dimensions or more: what is quantized, as a rule

    @property
    def is_whole(self) -> bool:
        """Whether it is kept as floats of 16 bits or more."""
        return self.precision in _WHOLE

    @property
    def is_quantized(self) -> bool:
        return 8 * self.size_bytes < 12 * self.parameters


@dataclass(slots=True)
class _Beside:
    """What stands beside one matrix's codes."""

    tensors: list[Tensor]
    scales: int = 0
    zeros: Tensor | None = None
    book: int = 0


def matrices_of(contents: Contents) -> tuple[tuple[Matrix, ...], tuple[str, ...]]:
    """Return a file's matrices, and the names of those whose codes are packed in a way that nothing tells."""
    codes = {_stem(tensor.name): tensor for tensor in contents.tensors if _may_be_codes(tensor)}
    beside = _beside_codes(contents, codes)
    companions = {tensor.name for one in beside.values() for tensor in one.tensors}
    found, unclear = [], []
    for tensor in contents.tensors:
        if tensor.name in companions:
            continue
        stem = _stem(tensor.name)
        theirs = beside.get(stem) if codes.get(stem) is tensor else None
        packed = contents.packed.get(tensor.name) or contents.packed.get(stem)
        if theirs is None and packed is None:
            found.append(_alone(tensor))
            continue
        theirs = theirs or _Beside([])
        packed = _fitting(packed, tensor) or _by_what_is_beside(tensor, theirs)
        if packed is None:
            unclear.append(stem)
        found.append(_together(stem, tensor, theirs, packed))
    return tuple(found), tuple(unclear)


def _stem(name: str) -> str:
    """Return what a tensor's name is of: that of the layer, where it ends in a word for the weights themselves."""
    return _CODES.sub("", name)


def _may_be_codes(tensor: Tensor) -> bool:
    name = precision_name(tensor.precision)
    return name not in _WHOLE and name != "bool" and not _BESIDE.search(tensor.name)


def _beside_codes(contents: Contents, codes: Mapping[str, Tensor]) -> dict[str, _Beside]:
    found: dict[str, _Beside] = {}
    for tensor in contents.tensors:
        told = contents.beside.get(tensor.name)
        match = _BESIDE.search(tensor.name)
        stem = _stem(told) if told is not None else _stem(tensor.name[: match.start()]) if match else None
        if stem is None or stem not in codes or codes[stem] is tensor:
            continue
        one = found.setdefault(stem, _Beside([]))
        one.tensors.append(tensor)
        if match and match["scale"]:
            one.scales += tensor.elements
        elif match and match["zero"]:
            one.zeros = tensor
        elif match and match["book"]:
            one.book = tensor.elements
    return found


def _alone(tensor: Tensor) -> Matrix:
    return Matrix(
        name=_stem(tensor.name), precision=precision_name(tensor.precision), parameters=tensor.elements,
        size_bytes=tensor.size_bytes, is_matrix=len(tensor.shape) > 1,
    )  # fmt: skip


def _fitting(packed: Packed | None, codes: Tensor) -> Packed | None:
    """Return how codes are said to be packed, if so many bytes can hold that."""
    if packed is None or not packed.shape:
        return packed
    told_bits = prod(packed.shape) * packed.bits
    return packed if told_bits <= 8 * codes.size_bytes <= 1.5 * told_bits + 1024 else None


def _by_what_is_beside(codes: Tensor, theirs: _Beside) -> Packed | None:
    """Return how many bits a code has, by the codebook or the zero points beside it; None where nothing tells."""
    if theirs.book and log2(theirs.book) in range(1, MOST_BITS + 1):
        return Packed(int(log2(theirs.book)))
    zeros = theirs.zeros
    if zeros is not None and zeros.precision == codes.precision and zeros.elements and theirs.scales:
        together = theirs.scales / zeros.elements
        bits = round(codes.bits / together)
        if 1 <= bits <= MOST_BITS and abs(codes.bits / together - bits) < 0.05:
            return Packed(bits)
    if precision_name(codes.precision) in _ELSE_UNPACKED or "float8" in precision_name(codes.precision):
        return Packed(int(codes.bits))
    return None


def _together(stem: str, codes: Tensor, theirs: _Beside, packed: Packed | None) -> Matrix:
    if packed is None:
        parameters, name = codes.elements, precision_name(codes.precision)
    else:
        parameters = prod(packed.shape) if packed.shape else 8 * codes.size_bytes // packed.bits
        is_own = packed.bits == codes.bits and "float" in precision_name(codes.precision)
        name = precision_name(codes.precision) if is_own else f"{packed.bits}-bit"
    return Matrix(
        name=stem, precision=name, parameters=parameters, is_matrix=True,
        size_bytes=codes.size_bytes + sum(tensor.size_bytes for tensor in theirs.tensors),
    )  # fmt: skip


def precision_name(precision: str) -> str:
    """Return our name of a precision that a format has its own for."""
    known = _NAMES.get(precision)
    return known or (precision.lower() if precision.startswith(("INT", "UINT")) else precision)
