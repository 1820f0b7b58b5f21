"""Weights files, written by the formats' own libraries; and such as no library would write."""

import json
import random
import struct
import zipfile
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import gguf
import numpy as np
import onnx
from gguf.quants import quantize
from onnx import helper, numpy_helper
from safetensors.numpy import save_file

QUANTIZED = ("Q8_0", "Q4_0", "Q5_1")
Arrays = Mapping[str, np.ndarray]


def arrays_of(rng: np.random.Generator) -> dict[str, np.ndarray]:
    """Arrays of several precisions and dimensions, an empty one and a single number among them."""
    kinds = (np.float32, np.float16, np.float64, np.int8, np.uint8, np.int64)
    shapes: tuple[tuple[int, ...], ...] = ((64, 32), (32,), (), (3, 0, 2), (2, 3, 4, 5))
    return {f"layer.{n}.part": np.zeros(shapes[n % 5], kinds[rng.integers(6)]) for n in range(rng.integers(1, 30))}


def write_safetensors(path: Path, arrays: Arrays, **metadata: str) -> Path:
    save_file(dict(arrays), path, metadata=metadata or None)
    return path


def write_npz(path: Path, arrays: Arrays, compressed: bool = False) -> Path:
    (np.savez_compressed if compressed else np.savez)(path, **arrays)
    return path


def write_gguf(path: Path, arrays: Arrays, quantized: Mapping[str, str] | None = None, **keys: Any) -> Path:
    """quantized: the type of some of the arrays, whose rows are whole blocks; keys: of the model's make, `nursery`."""
    writer = gguf.GGUFWriter(path, "nursery")
    writer.add_token_list([f"word {n}" for n in range(3000)])
    for key, value in keys.items():
        add: Callable[..., None] = writer.add_array if isinstance(value, list) else writer.add_uint32
        add(f"nursery.{key.replace('__', '.')}", value)
    for name, array in arrays.items():
        kind = (quantized or {}).get(name)
        if kind is None:
            writer.add_tensor(name, np.ascontiguousarray(array))
        else:
            made = gguf.GGMLQuantizationType[kind]
            writer.add_tensor(name, quantize(array.astype(np.float32), made), raw_dtype=made)
    writer.write_header_to_file()
    writer.write_kv_data_to_file()
    writer.write_tensors_to_file()
    writer.close()
    return path


def write_onnx(path: Path, arrays: Arrays, nodes: tuple[onnx.NodeProto, ...] = (), elsewhere: str = "") -> Path:
    tensors = [numpy_helper.from_array(np.asarray(array), name) for name, array in arrays.items()]
    model = helper.make_model(helper.make_graph(list(nodes), "g", [], [], tensors))
    onnx.save(model, path, save_as_external_data=bool(elsewhere), location=elsewhere or None, size_threshold=0)
    return path


def raw_safetensors(path: Path, header: object, data: bytes = b"", length: int | None = None) -> Path:
    """A header of anything, bytes or what JSON can say, that may tell another length than it has."""
    text = header if isinstance(header, bytes) else json.dumps(header).encode()
    path.write_bytes(struct.pack("<Q", len(text) if length is None else length) + text + data)
    return path


def raw_gguf(path: Path, body: bytes = b"", tensors: int = 1, keys: int = 1, version: int = 3) -> Path:
    path.write_bytes(b"GGUF" + struct.pack("<IQQ", version, tensors, keys) + body)
    return path


def field(number: int, data: bytes) -> bytes:
    """A field of a message that holds bytes."""
    return varint(number << 3 | 2) + varint(len(data)) + data


def varint(number: int) -> bytes:
    found = b""
    while number > 127:
        found, number = found + bytes([number & 127 | 128]), number >> 7
    return found + bytes([number])


def text(of: bytes) -> bytes:
    """A text as a GGUF file has it."""
    return struct.pack("<Q", len(of)) + of


def write_all(folder: Path, rng: np.random.Generator) -> list[Path]:
    """A file of each format, small, with something of everything that a header may hold."""
    arrays = {"a.weight": np.zeros((8, 32), np.float32), "b": np.zeros(4, np.float16)}
    packed = {"w.qweight": np.zeros((8, 16), np.int32), "w.scales": np.zeros((2, 16), np.float16)}
    nodes = (
        helper.make_node("DequantizeLinear", ["q", "s", "z"], ["d"]),
        helper.make_node("Constant", [], ["c"], value=numpy_helper.from_array(np.zeros(5, np.float32))),
        helper.make_node("If", ["c"], ["i"], then_branch=helper.make_graph([], "t", [], []),
                         else_branch=helper.make_graph([], "e", [], [], [numpy_helper.from_array(np.zeros(3), "in")])),
    )  # fmt: skip
    codes = {"q": np.zeros((4, 5), np.int8), "s": np.zeros(4, np.float32), "z": np.zeros(4, np.int8), **arrays}
    return [
        write_safetensors(folder / "s.safetensors", {**arrays_of(rng), **packed}, grouped='{"w": [4, 64, 16]}'),
        write_gguf(folder / "g.gguf", arrays, {"a.weight": "Q8_0"}, block_count=2, attention__head_count=[2, 2]),
        write_onnx(folder / "o.onnx", codes, nodes),
        write_npz(folder / "n.npz", arrays_of(rng)),
        write_npz(folder / "c.npz", arrays, compressed=True),
    ]


def mutated(data: bytes, rng: random.Random) -> bytes:
    """A file with some of its header's bytes turned, doubled, taken out, or made as large as they can be."""
    found = bytearray(data)
    for _ in range(rng.choice((1, 1, 2, 4, 16))):
        at = rng.randrange(min(len(found), 4096) if rng.random() < 0.8 else len(found))
        match rng.randrange(7):
            case 0:
                found[at] = rng.randrange(256)
            case 1:
                found[at : at + 8] = rng.choice(
                    (b"\xff" * 8, b"\xff" * 7 + b"\x7f", bytes(8), struct.pack("<Q", 2**40))
                )
            case 2:
                del found[at : at + rng.randrange(1, 40)]
            case 3:
                found[at:at] = found[at : at + rng.randrange(1, 400)]
            case 4:
                found[at:at] = rng.choice((b"[" * 500, b"{", b'"', b"9" * 400, b"-1", b"1e999", b"\x00" * 64, b"\n"))
            case 5:
                del found[at:]
            case 6:
                found[at] ^= 1 << rng.randrange(8)
        found = found or bytearray(b"x")
    return bytes(found)


def bomb(path: Path, array_bytes: int) -> Path:
    """An archive whose one array is said to have a header of so many bytes, which compress to next to nothing."""
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("a.npy", b"\x93NUMPY\x02\x00" + struct.pack("<I", 2**31) + b" " * array_bytes)
    return path
