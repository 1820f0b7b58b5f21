"""Writes weights as files that ship: whole, in half precision, or packed into few bits.

Packed matrices are cut into groups of numbers that lie next to each other; each group keeps its smallest value and
a scale (float16), and every number is rounded to the nearest of the 2**bits levels between smallest and largest.
The ends of a network are more tender than its middle: in the packed files they have 8 bits; tables and vectors
stay in half precision.
"""

import json

import numpy as np
import sprig
from safetensors.numpy import save_file
from weights import pack_codes

from training import MODELS

GROUP = 64
MIDDLE = ("qkv", "out", "up", "down")
ENDS_BITS = 8


def packed(arrays, middle_bits: int, ends: tuple[str, ...], group: int = GROUP, ends_group: int = GROUP):
    """Return (arrays, metadata) of the packed file."""
    kept, shapes = {}, {}
    for name, array in arrays.items():
        inside = name.startswith("block.") and name.rsplit(".", 1)[-1] in MIDDLE
        if inside or name in ends:
            bits = middle_bits if inside else ENDS_BITS
            groups = array.reshape(-1, group if inside else ends_group)
            smallest = groups.min(axis=1, keepdims=True).astype(np.float16)
            levels = 2**bits - 1
            scale = ((groups.max(axis=1, keepdims=True) - smallest.astype(np.float32)) / levels).astype(np.float16)
            scale = np.maximum(scale, np.float16(1e-6))
            codes = np.rint((groups - smallest.astype(np.float32)) / scale.astype(np.float32))
            kept[name + ".packed"] = pack_codes(np.clip(codes, 0, levels).astype(np.uint8), bits)
            kept[name + ".scale"], kept[name + ".smallest"] = scale, smallest
            shapes[name] = [bits, *array.shape]
        else:
            kept[name] = array.astype(np.float16)
    return kept, {"grouped": json.dumps(shapes)}


def write(model: str, name: str, arrays, about=None):
    path = MODELS / f"{model}-{name}.safetensors"
    told = {"model": model, "form": name, **kept_while_reading(model, arrays), **(about or {})}
    save_file(arrays, path, metadata=told)
    print(f"{path.name}  {path.stat().st_size / 1024:.0f} KiB")
    return path


def kept_while_reading(model: str, arrays) -> dict[str, str]:
    """Return how a model that reads keeps keys and values of what it has read, so that their size can be foretold."""
    if model != "sprig":
        return {}
    layers = len({name.split(".")[1] for name in arrays if name.startswith("block.")})
    return {"layers": str(layers), "heads": str(sprig.HEADS), "head_width": str(sprig.WIDTH // sprig.HEADS),
            "longest": str(sprig.LONGEST), "kept_as": "float32"}  # fmt: skip


def write_half(model: str, arrays):
    return write(model, "half", {name: array.astype(np.float16) for name, array in arrays.items()})
