"""Weights of small models in a safetensors file, and the two functions that every layer needs.

Matrices may be stored whole (float32), in half precision, or in groups of integers of 8, 4 or 3 bits with a scale
and a smallest value for each group. What is packed stays packed in memory and is unpacked a layer at a time, each
time it is used: less memory, more work.
"""

import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np


@dataclass(frozen=True)
class Whole:
    """A matrix kept as floats of 32 or 16 bits."""

    values: np.ndarray

    def unpacked(self) -> np.ndarray:
        return self.values.astype(np.float32, copy=False)


@dataclass(frozen=True)
class Grouped:
    """A matrix kept as small integers: value = code x scale + smallest, scale and smallest by group."""

    packed: np.ndarray  # uint8, the codes' bits
    scale: np.ndarray  # float16 (groups, 1)
    smallest: np.ndarray  # float16 (groups, 1)
    bits: int
    shape: tuple[int, int]

    def unpacked(self) -> np.ndarray:
        codes = unpack_codes(self.packed, self.bits).reshape(len(self.scale), -1)
        values = codes.astype(np.float32)
        values *= self.scale.astype(np.float32)
        values += self.smallest.astype(np.float32)
        return values.reshape(self.shape)


def pack_codes(codes: np.ndarray, bits: int) -> np.ndarray:
    """Lay codes (uint8, a multiple of 8 of them, each below 2**bits) end to end: 8, 4 or 3 bits each."""
    flat = codes.reshape(-1).astype(np.uint8)
    if bits == 8:
        return flat
    if bits == 4:
        return flat[0::2] | flat[1::2] << 4
    # Eight codes of three bits fill three bytes exactly.
    eight = flat.reshape(-1, 8).astype(np.uint32)
    word = (eight << (3 * np.arange(8, dtype=np.uint32))).sum(axis=1, dtype=np.uint32)
    return np.stack([word & 255, word >> 8 & 255, word >> 16], axis=1).astype(np.uint8).reshape(-1)


def unpack_codes(packed: np.ndarray, bits: int) -> np.ndarray:
    """The inverse of pack_codes."""
    if bits == 8:
        return packed
    if bits == 4:
        codes = np.empty(2 * packed.size, np.uint8)
        np.bitwise_and(packed, 15, out=codes[0::2])
        np.right_shift(packed, 4, out=codes[1::2])
        return codes
    three = packed.reshape(-1, 3).astype(np.uint32)
    word = three[:, 0] | three[:, 1] << 8 | three[:, 2] << 16
    codes = np.empty((word.size, 8), np.uint8)
    for place in range(8):
        codes[:, place] = word >> (3 * place) & 7
    return codes.reshape(-1)


def read_safetensors(path: Path) -> tuple[dict[str, np.ndarray], dict[str, str]]:
    """Return the arrays and the metadata of a safetensors file: a length, a JSON header, then raw data."""
    kinds = {"F32": np.float32, "F16": np.float16, "U8": np.uint8}
    with open(path, "rb") as file:
        header = json.loads(file.read(int.from_bytes(file.read(8), "little")))
        data = file.read()
    about = header.pop("__metadata__", {})
    arrays = {
        name: np.frombuffer(data[slice(*entry["data_offsets"])], kinds[entry["dtype"]]).reshape(entry["shape"])
        for name, entry in header.items()
    }
    return arrays, about


class Weights:
    """The matrices of one file by name, unpacked when asked for."""

    def __init__(self, path: Path):
        """Read a weights file as training/packing.py writes it."""
        arrays, about = read_safetensors(path)
        shapes = json.loads(about.get("grouped", "{}"))
        self._kept: dict[str, Whole | Grouped] = {
            name: Grouped(
                arrays.pop(name + ".packed"),
                arrays.pop(name + ".scale"),
                arrays.pop(name + ".smallest"),
                bits,
                tuple(shape),
            )
            for name, (bits, *shape) in shapes.items()
        }
        self._kept.update((name, Whole(array)) for name, array in arrays.items())

    def __getitem__(self, name: str) -> np.ndarray:
        return self._kept[name].unpacked()

    @property
    def depth(self) -> int:
        """How many layers the network has."""
        return sum(name.endswith(".qkv") for name in self._kept)


def normalised(x: np.ndarray) -> np.ndarray:
    """Scale the last axis to a root mean square of one."""
    squares = np.einsum("...i,...i->...", x, x)[..., None]
    return x * (1 / np.sqrt(squares / x.shape[-1] + 1e-6))


def softmax(x: np.ndarray) -> np.ndarray:
    """Turn scores, along the last axis and in their place, into weights that sum to one."""
    x -= x.max(axis=-1, keepdims=True)
    np.exp(x, out=x)
    x /= x.sum(axis=-1, keepdims=True)
    return x
