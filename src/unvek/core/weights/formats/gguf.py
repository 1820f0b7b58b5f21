"""GGUF: a magic word, a version, two counts, keys with values, then a line a tensor; their data at the end, aligned.

The published layout is read here: long lists of values are gone over without being kept.
"""

from collections.abc import Mapping
from math import prod
from pathlib import Path
from struct import Struct, unpack
from typing import Any

from unvek.core.weights.formats.bounded import BoundedReader, check_ranges
from unvek.core.weights.formats.contents import LARGEST, Contents, Tensor, WeightsError, check_count, checked_shape

FORMAT = "gguf"
MAGIC = b"GGUF"
LONGEST_HEADER = 64 * 2**20
LONGEST_NAME, LONGEST_TEXT = 1024, 4096  # bytes of a name, and of a value that is kept
MOST_KEYS, MOST_TEXTS, DEEPEST = 20_000, 1_000_000, 4
SHORT_LIST, MOST_KEPT, MOST_LISTS = 1024, 32_768, 10_000  # numbers of a list that are kept, in all; lists in lists
USUAL_ALIGNMENT = 32
TEXT, LIST = 8, 9
# Of a value: how it is laid out, by the number of its type.
PLAIN: Mapping[int, str] = {0: "B", 1: "b", 2: "H", 3: "h", 4: "I", 5: "i", 6: "f", 7: "?", 10: "Q", 11: "q", 12: "d"}
# Of a tensor: the name of its type, how many elements a block has, and how many bytes, by the type's number.
BLOCKS: Mapping[int, tuple[str, int, int]] = {
    0: ("F32", 1, 4), 1: ("F16", 1, 2), 2: ("Q4_0", 32, 18), 3: ("Q4_1", 32, 20), 6: ("Q5_0", 32, 22),
    7: ("Q5_1", 32, 24), 8: ("Q8_0", 32, 34), 9: ("Q8_1", 32, 40), 10: ("Q2_K", 256, 84), 11: ("Q3_K", 256, 110),
    12: ("Q4_K", 256, 144), 13: ("Q5_K", 256, 176), 14: ("Q6_K", 256, 210), 15: ("Q8_K", 256, 292),
    16: ("IQ2_XXS", 256, 66), 17: ("IQ2_XS", 256, 74), 18: ("IQ3_XXS", 256, 98), 19: ("IQ1_S", 256, 50),
    20: ("IQ4_NL", 32, 18), 21: ("IQ3_S", 256, 110), 22: ("IQ2_S", 256, 82), 23: ("IQ4_XS", 256, 136),
    24: ("I8", 1, 1), 25: ("I16", 1, 2), 26: ("I32", 1, 4), 27: ("I64", 1, 8), 28: ("F64", 1, 8),
    29: ("IQ1_M", 256, 56), 30: ("BF16", 1, 2), 34: ("TQ1_0", 256, 54), 35: ("TQ2_0", 256, 66), 39: ("MXFP4", 32, 17),
    40: ("NVFP4", 64, 36), 41: ("Q1_0", 128, 18),
}  # fmt: skip


def read_gguf(path: Path) -> Contents:
    """Read a file's header. WeightsError says why it is none; OSError where the file can't be opened."""
    with BoundedReader(path, LONGEST_HEADER) as file:
        if file.read(4) != MAGIC:
            raise WeightsError("it does not begin as such a file does")
        header = _Header(file)
        count, keys = header.long(), header.long()
        check_count(count)
        if keys > MOST_KEYS:
            raise WeightsError(f"it tells of {keys} keys; at most {MOST_KEYS} are looked at")
        values = dict(header.key_and_value() for _ in range(keys))
        alignment = values.get("general.alignment", USUAL_ALIGNMENT)
        if type(alignment) is not int or not 1 <= alignment <= 2**20:
            raise WeightsError(f"its alignment is {alignment!r}")
        tensors, ranges, seen = [], [], set()
        for _ in range(count):
            tensor, offset = header.tensor()
            if offset % alignment or tensor.name in seen:
                raise WeightsError(f"the data of {tensor.name[:80]!r} begins where none can, or it is there twice")
            seen.add(tensor.name)
            tensors.append(tensor)
            ranges.append((offset, offset + tensor.size_bytes, tensor.name))
        begin = -(-file.place // alignment) * alignment
        check_ranges(ranges, max(0, file.size_bytes - begin))
    return Contents(
        format=FORMAT, tensors=tuple(tensors), metadata={key: str(value) for key, value in values.items()},
        settings=values,
    )  # fmt: skip


class _Header:
    """Reads one part after another, in the byte order that the version tells."""

    def __init__(self, file: BoundedReader):
        self._file = file
        version = file.read(4)
        self._order = ">" if version[0] == 0 else "<"
        self._long = Struct(f"{self._order}Q")
        self._texts = self._lists = 0
        self._may_keep = MOST_KEPT
        number = unpack(f"{self._order}I", version)[0]
        if number not in (2, 3):
            raise WeightsError(f"it is of version {number}; wanted 2 or 3")

    def long(self) -> int:
        return self._file.number(self._long)

    def _short(self) -> int:
        return self._file.number(f"{self._order}I")

    def _name(self) -> str:
        length = self.long()
        if length > LONGEST_NAME:
            raise WeightsError(f"it has a name of {length} bytes; wanted {LONGEST_NAME} at most")
        return self._file.read(length).decode("utf-8", "replace")

    def key_and_value(self) -> tuple[str, Any]:
        return self._name(), self._value(self._short(), 0)

    def _value(self, kind: int, depth: int) -> Any:
        """Return a number or a text; of a list how long it is, its parts being skipped."""
        if kind == TEXT:
            length = self.long()
            kept = self._file.read(min(length, LONGEST_TEXT))
            self._file.skip(length - len(kept))
            return kept.decode("utf-8", "replace")
        if kind == LIST:
            return self._list(depth)
        form = self._form(kind)
        return unpack(form, self._file.read(Struct(form).size))[0]

    def _form(self, kind: int) -> str:
        if kind not in PLAIN:
            raise WeightsError(f"it has a value of type {kind}, which is none")
        return self._order + PLAIN[kind]

    def _list(self, depth: int) -> str | list[Any]:
        kind, count = self._short(), self.long()
        if depth == DEEPEST:
            raise WeightsError(f"it has lists within lists, {DEEPEST} deep and deeper")
        if kind not in (TEXT, LIST):
            form = Struct(self._form(kind))
            if count <= min(SHORT_LIST, self._may_keep):  # such as the heads of each layer
                self._may_keep -= count
                return list(unpack(f"{self._order}{count}{PLAIN[kind]}", self._file.read(count * form.size)))
            self._file.skip(count * form.size)
            return f"{count} numbers"
        self._texts += count
        self._lists += count if kind == LIST else 0
        if self._texts > MOST_TEXTS or self._lists > MOST_LISTS:
            raise WeightsError(f"it has lists of {max(self._texts, self._lists)} texts or lists; "
                               f"at most {MOST_TEXTS} and {MOST_LISTS} are looked at")  # fmt: skip
        if kind == TEXT:
            self._skip_texts(count)
            return f"{count} texts"
        for _ in range(count):
            self._list(depth + 1)
        return f"{count} lists"

    def _skip_texts(self, count: int) -> None:
        """Go behind so many texts: as many at once as lie in the window, since there may be a million."""
        length_at, size = self._long.unpack_from, self._long.size
        while count:
            window, at = self._file.window(), 0
            while count and at + size <= len(window):
                after = at + size + length_at(window, at)[0]
                if after > len(window):
                    break
                at, count = after, count - 1
            self._file.skip(at)
            if at == 0 and count:  # longer than the window
                self._file.skip(self.long())
                count -= 1

    def tensor(self) -> tuple[Tensor, int]:
        """Return the next tensor, and where its data begins behind the header."""
        name, dimensions = self._name(), self._short()
        shape = checked_shape(name, [self.long() for _ in range(min(dimensions, 5))])
        if dimensions > 4:
            raise WeightsError(f"the tensor {name[:80]!r} has {dimensions} dimensions; wanted 4 at most")
        kind, offset = self._short(), self.long()
        if kind not in BLOCKS:
            raise WeightsError(f"the tensor {name[:80]!r} is of type {kind}, which is none that is known")
        precision, elements, size = BLOCKS[kind]
        if (shape and shape[0] % elements) or offset >= LARGEST:
            raise WeightsError(f"the rows of {name[:80]!r} are no whole blocks of {elements}")
        return Tensor(name, precision, 8 * size / elements, shape[::-1], prod(shape) // elements * size), offset
