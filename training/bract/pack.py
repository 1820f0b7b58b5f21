"""Writes bract's weights as the variants that ship, and holds NumPy's arithmetic against PyTorch's.

Packed matrices are cut into groups of numbers that lie next to each other; each group keeps its smallest value and
a scale (float16), and every number is rounded to the nearest of the 2**bits levels between smallest and largest.
The ends of the network are more tender than its middle: in the packed files they have 8 bits; tables and vectors
stay in half precision.
"""

import json
import sys
from pathlib import Path

import numpy as np
import torch
from network import DEPTH, STUDENT_DEPTH, Network
from safetensors.numpy import save_file

from unvek.demo.project import bract

OUT = Path("training/out")
MODELS = Path(bract.__file__).parent / "models"
GROUP = 64
MIDDLE = ("qkv", "out", "up", "down")
ENDS = ("patch_in", "patch_out", "place", "time.out")
ENDS_BITS = 8


def packed(arrays, middle_bits: int):
    kept, shapes = {}, {}
    for name, array in arrays.items():
        inside = name.startswith("block.") and name.rsplit(".", 1)[-1] in MIDDLE
        if inside or name in ENDS:
            bits = middle_bits if inside else ENDS_BITS
            groups = array.reshape(-1, GROUP)
            smallest = groups.min(axis=1, keepdims=True).astype(np.float16)
            levels = 2**bits - 1
            scale = ((groups.max(axis=1, keepdims=True) - smallest.astype(np.float32)) / levels).astype(np.float16)
            scale = np.maximum(scale, np.float16(1e-6))
            codes = np.rint((groups - smallest.astype(np.float32)) / scale.astype(np.float32))
            kept[name + ".packed"] = bract.pack_codes(np.clip(codes, 0, levels).astype(np.uint8), bits)
            kept[name + ".scale"], kept[name + ".smallest"] = scale, smallest
            shapes[name] = [bits, *array.shape]
        else:
            kept[name] = array.astype(np.float16)
    return kept, {"grouped": json.dumps(shapes)}


def write(name: str, arrays, about=None):
    path = MODELS / f"bract-{name}.safetensors"
    save_file(arrays, path, metadata={"model": "bract", "form": name, **(about or {})})
    print(f"{path.name}  {path.stat().st_size / 1024:.0f} KiB")


def arrays_of(checkpoint: str, depth: int):
    network = Network(depth)
    network.load_state_dict(torch.load(OUT / checkpoint, weights_only=True))
    return network, network.named_arrays()


def check_against_torch(network, name: str):
    x = np.random.default_rng(5).standard_normal((2, 48, 48, 3), dtype=np.float32)
    conditions = np.array([[0, 1, 2, 1], [4, 4, 3, 3]])
    ours = bract.load(MODELS / f"bract-{name}.safetensors").velocity(x, 0.6, conditions)
    with torch.no_grad():
        theirs = network(
            torch.from_numpy(x).permute(0, 3, 1, 2), torch.tensor([0.6, 0.6]), torch.from_numpy(conditions)
        )
    difference = np.abs(ours - theirs.permute(0, 2, 3, 1).numpy()).max()
    print(f"{name}: NumPy and PyTorch differ by {difference:.1e} at most")
    if difference > 1e-3:
        sys.exit("that is too much")


def main():
    MODELS.mkdir(exist_ok=True)
    teacher, full = arrays_of("bract-full.pt", DEPTH)
    write("full", full)
    write("half", {name: array.astype(np.float16) for name, array in full.items()})
    for bits in (8, 4, 3):
        write(f"{bits}bit", *packed(full, bits))
    check_against_torch(teacher, "full")
    if (OUT / "bract-swift.pt").exists():
        student, swift = arrays_of("bract-swift.pt", STUDENT_DEPTH)
        write("swift", swift)
        write("swift-4bit", *packed(swift, 4))
        check_against_torch(student, "swift")


if __name__ == "__main__":
    main()
