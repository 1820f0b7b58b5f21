"""ONNX: a message of protocol buffers, in which the tensors' data lies among what tells of them, or in other files.

The published messages are read here field by field; what is data is gone over and never read, so that a model of any
size takes no more than its graph does.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from math import prod
from pathlib import Path

from unvek.core.weights.formats.bounded import BoundedReader
from unvek.core.weights.formats.contents import Contents, Packed, Tensor, WeightsError, checked_shape

FORMAT = "onnx"
MOST_READ = 64 * 2**20  # bytes that are not data
MOST_FIELDS, DEEPEST, LONGEST_TEXT = 250_000, 12, 4096
MOST_TENSORS = 40_000  # each is a message of its own, and takes longer than a line of another format does
VARINT, EIGHT, BYTES, FOUR = 0, 1, 2, 5  # how a field is laid out
# Of a tensor: the name of its type, and the bits of an element, by the type's number.
TYPES: Mapping[int, tuple[str, int]] = {
    1: ("FLOAT", 32), 2: ("UINT8", 8), 3: ("INT8", 8), 4: ("UINT16", 16), 5: ("INT16", 16), 6: ("INT32", 32),
    7: ("INT64", 64), 8: ("STRING", 8), 9: ("BOOL", 8), 10: ("FLOAT16", 16), 11: ("DOUBLE", 64), 12: ("UINT32", 32),
    13: ("UINT64", 64), 14: ("COMPLEX64", 64), 15: ("COMPLEX128", 128), 16: ("BFLOAT16", 16), 17: ("FLOAT8E4M3FN", 8),
    18: ("FLOAT8E4M3FNUZ", 8), 19: ("FLOAT8E5M2", 8), 20: ("FLOAT8E5M2FNUZ", 8), 21: ("UINT4", 4), 22: ("INT4", 4),
    23: ("FLOAT4E2M1", 4), 24: ("FLOAT8E8M0", 8), 25: ("UINT2", 2), 26: ("INT2", 2), 27: ("FLOAT6E2M3", 6),
    28: ("FLOAT6E3M2", 6),
}  # fmt: skip
TEXTS = 8  # the type of a tensor of texts, whose bytes no shape tells
# The numbers of the fields that are looked at, by the message that they are of.
MODEL_GRAPH, MODEL_METADATA, MODEL_FUNCTIONS = 7, 14, 25
GRAPH_NODE, GRAPH_TENSOR, GRAPH_SPARSE = 1, 5, 15
FUNCTION_NODE = 7
NODE_INPUT, NODE_OUTPUT, NODE_KIND, NODE_ATTRIBUTE = 1, 2, 4, 5
ATTRIBUTE_NAME, ATTRIBUTE_NUMBER, ATTRIBUTE_TENSOR, ATTRIBUTE_GRAPH = 1, 3, 5, 6
ATTRIBUTE_TENSORS, ATTRIBUTE_GRAPHS, ATTRIBUTE_SPARSE, ATTRIBUTE_SPARSES = 10, 11, 22, 23
SPARSE_VALUES = 1
DIMENSIONS, TYPE, NAME, RAW, ELSEWHERE, PLACE = 1, 2, 8, 9, 13, 14
TYPED_DATA = (4, 5, 6, 7, 10, 11)  # data as numbers of their own: of 32 bits, 64 bits or as texts
OF_QUANTIZED = "DequantizeLinear"  # its inputs: codes, their scale, their zero points


@dataclass(slots=True)
class _Node:
    inputs: list[str] = field(default_factory=list)
    output: str = ""
    kind: str = ""
    numbers: dict[str, int] = field(default_factory=dict)


@dataclass(slots=True)
class _TensorRead:
    dimensions: list[int] = field(default_factory=list)
    type: int = 0
    name: str = ""
    raw_bytes: int | None = None
    is_elsewhere: bool = False
    place: dict[str, str] = field(default_factory=dict)
    inside_bytes: int = 0


def read_onnx(path: Path) -> Contents:
    """Read a model's graph. WeightsError says why it is none; OSError where the file can't be opened."""
    with BoundedReader(path, MOST_READ) as file:
        reading = _Reading(file, path.parent)
        reading.model()
    if not reading.tensors and not reading.nodes:
        raise WeightsError("there is no graph in it")
    return Contents(
        format=FORMAT, tensors=tuple(reading.tensors), metadata=reading.metadata, packed=reading.packed,
        beside=reading.beside, elsewhere=tuple(reading.sizes),
    )  # fmt: skip


class _Reading:
    """One pass over a model."""

    def __init__(self, file: BoundedReader, folder: Path):
        self._file, self._folder = file, folder
        self._fields = self.nodes = 0
        self.sizes: dict[str, int] = {}
        self.tensors: list[Tensor] = []
        self.metadata: dict[str, str] = {}
        self.packed: dict[str, Packed] = {}
        self.beside: dict[str, str] = {}

    # ---- the layout ----

    def _varint(self) -> int:
        value = self._file.byte()
        if value < 128:
            return value
        value &= 127
        for place in range(1, 10):
            byte = self._file.byte()
            value |= (byte & 127) << 7 * place
            if byte < 128:
                return value
        raise WeightsError("it has a number that does not end")

    def _fields_until(self, end: int) -> Iterator[tuple[int, int, int]]:
        """Yield each field's number, its layout, and its length or value; whoever takes it goes behind it."""
        while self._file.place < end:
            self._fields += 1
            if self._fields > MOST_FIELDS:
                raise WeightsError(f"its graph has more than {MOST_FIELDS} fields")
            key = self._varint()
            number, layout = key >> 3, key & 7
            if not number or layout not in (VARINT, EIGHT, BYTES, FOUR):
                raise WeightsError("it is no message that can be read")
            if layout == VARINT:
                yield number, layout, self._varint()
                continue
            length = self._varint() if layout == BYTES else 8 if layout == EIGHT else 4
            after = self._file.place + length
            if after > end:
                raise WeightsError("a part of it is longer than the whole: it is cut off, or no such file")
            yield number, layout, length
            self._file.skip(after - self._file.place)

    def _text(self, length: int) -> str:
        return self._file.read(min(length, LONGEST_TEXT)).decode("utf-8", "replace")

    # ---- the messages ----

    def model(self) -> None:
        for number, layout, length in self._fields_until(self._file.size_bytes):
            if layout != BYTES:
                continue
            if number == MODEL_GRAPH:
                self._graph(length, 0)
            elif number == MODEL_FUNCTIONS:
                self._nodes_of(length, FUNCTION_NODE, 0)
            elif number == MODEL_METADATA and len(self.metadata) < LONGEST_TEXT:
                self.metadata.update([self._pair(length)])

    def _pair(self, length: int) -> tuple[str, str]:
        texts = {number: self._text(size) for number, layout, size in self._within(length) if layout == BYTES}
        return texts.get(1, ""), texts.get(2, "")

    def _within(self, length: int) -> Iterator[tuple[int, int, int]]:
        return self._fields_until(self._file.place + length)

    def _graph(self, length: int, depth: int) -> None:
        if depth > DEEPEST:
            raise WeightsError(f"it has graphs within graphs, {DEEPEST} deep and deeper")
        for number, layout, size in self._within(length):
            if layout != BYTES:
                continue
            if number == GRAPH_TENSOR:
                self._tensor(size)
            elif number == GRAPH_SPARSE:
                self._sparse(size)
            elif number == GRAPH_NODE:
                self._node(size, depth)

    def _nodes_of(self, length: int, wanted: int, depth: int) -> None:
        for number, layout, size in self._within(length):
            if layout == BYTES and number == wanted:
                self._node(size, depth)

    def _sparse(self, length: int) -> None:
        for number, layout, size in self._within(length):
            if layout == BYTES and number == SPARSE_VALUES:
                self._tensor(size)

    def _node(self, length: int, depth: int) -> None:
        self.nodes += 1
        node = _Node()
        for number, layout, size in self._within(length):
            if layout != BYTES:
                continue
            if number == NODE_INPUT and len(node.inputs) < 8:
                node.inputs.append(self._text(size))
            elif number == NODE_OUTPUT and not node.output:
                node.output = self._text(size)
            elif number == NODE_KIND:
                node.kind = self._text(size)
            elif number == NODE_ATTRIBUTE:
                self._attribute(size, depth, node)
        self._learn_of_packed(node)

    def _attribute(self, length: int, depth: int, node: _Node) -> None:
        name, number_told = "", None
        for number, layout, size in self._within(length):
            if number == ATTRIBUTE_NUMBER and layout == VARINT:
                number_told = size
            elif layout != BYTES:
                continue
            elif number == ATTRIBUTE_NAME:
                name = self._text(size)
            elif number in (ATTRIBUTE_TENSOR, ATTRIBUTE_TENSORS):
                self._tensor(size, node.output)
            elif number in (ATTRIBUTE_GRAPH, ATTRIBUTE_GRAPHS):
                self._graph(size, depth + 1)
            elif number in (ATTRIBUTE_SPARSE, ATTRIBUTE_SPARSES):
                self._sparse(size)
        if number_told is not None and len(node.numbers) < 32:
            node.numbers[name] = number_told

    def _learn_of_packed(self, node: _Node) -> None:
        """Take from a node which tensors are another one's scale and zero points, and how many codes a byte has."""
        said = node.numbers
        if {"K", "N", "bits"} <= said.keys() and len(node.inputs) > 2:
            codes, others = node.inputs[1], node.inputs[2:4]
            shape = (said["K"], said["N"])
            if all(0 < one < 2**31 for one in shape) and 1 <= said["bits"] <= 16:
                self.packed[codes] = Packed(said["bits"], shape)
        elif node.kind == OF_QUANTIZED and len(node.inputs) > 1:
            codes, others = node.inputs[0], node.inputs[1:3]
        else:
            return
        self.beside.update((name, codes) for name in others if name)

    # ---- tensors ----

    def _tensor(self, length: int, name: str = "") -> None:
        read = _TensorRead(name=name)
        for number, layout, size in self._within(length):
            if number == DIMENSIONS:
                self._dimensions(read, layout, size)
            elif number == TYPE and layout == VARINT:
                read.type = size
            elif number == PLACE and layout == VARINT:
                read.is_elsewhere = size == 1
            elif layout == BYTES and number == NAME and size:
                read.name = self._text(size)
            elif layout == BYTES and number == RAW:
                read.raw_bytes = size
            elif layout == BYTES and number == ELSEWHERE and len(read.place) < 8:
                read.place.update([self._pair(size)])
            elif number in TYPED_DATA:
                read.inside_bytes += size if layout == BYTES else 1
        self.tensors.append(self._checked(read))
        if len(self.tensors) > MOST_TENSORS:
            raise WeightsError(f"it has more than {MOST_TENSORS} tensors")

    def _dimensions(self, read: _TensorRead, layout: int, size: int) -> None:
        if layout == VARINT:
            read.dimensions.append(size)
        elif layout == BYTES:
            end = self._file.place + size
            while self._file.place < end and len(read.dimensions) < 100:
                read.dimensions.append(self._varint())
        if len(read.dimensions) >= 100:
            raise WeightsError(f"the tensor {read.name[:80]!r} has 100 dimensions and more")

    def _checked(self, read: _TensorRead) -> Tensor:
        name = read.name or f"without a name {len(self.tensors)}"
        if read.type not in TYPES:
            raise WeightsError(f"the tensor {name[:80]!r} is of type {read.type}, which is none that is known")
        precision, bits = TYPES[read.type]
        shape = checked_shape(name, read.dimensions)
        elements = prod(shape)
        size_bytes = read.inside_bytes if read.type == TEXTS else -(-elements * bits // 8)
        if read.type == TEXTS:
            pass  # whose bytes no shape tells
        elif read.is_elsewhere:
            self._check_elsewhere(name, read.place, size_bytes)
        elif read.raw_bytes is not None and read.raw_bytes != size_bytes:
            raise WeightsError(f"the tensor {name[:80]!r} has {read.raw_bytes} bytes; its shape asks for {size_bytes}")
        elif read.raw_bytes is None and elements > 8 * read.inside_bytes:
            raise WeightsError(
                f"the data of {name[:80]!r} is not there"
            )  # a number takes a byte and more, or some bits
        return Tensor(name, precision, bits, shape, size_bytes)

    def _check_elsewhere(self, name: str, place: Mapping[str, str], size_bytes: int) -> None:
        """See that the file beside this one, in which a tensor's data lies, is there and long enough."""
        where, offset = place.get("location", ""), place.get("offset", "0")
        path = Path(where)
        if not where or path.is_absolute() or ".." in path.parts or "\0" in where:
            raise WeightsError(f"the data of {name[:80]!r} lies in {where[:80]!r}, which is no file in this folder")
        if where not in self.sizes:
            file = self._folder / path
            if not file.is_file():
                raise WeightsError(f"the data of {name[:80]!r} lies in {where[:80]!r}, which is not there")
            self.sizes[where] = file.stat().st_size
        begin = int(offset) if offset.isdecimal() and len(offset) < 20 else 2**63
        told = place.get("length", str(size_bytes))
        if begin + size_bytes > self.sizes[where] or told != str(size_bytes):
            raise WeightsError(f"the data of {name[:80]!r} is not whole in {where[:80]!r}")
