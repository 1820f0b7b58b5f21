"""Writes bract's weights as the variants that ship, and holds NumPy's arithmetic against PyTorch's."""

import sys

import numpy as np
import torch
from bract import Bract

from training import MODELS, OUT
from training.bract.network import DEPTH, STUDENT_DEPTH, Network
from training.packing import packed, write, write_half

ENDS = ("patch_in", "patch_out", "place", "time.out")


def arrays_of(checkpoint: str, depth: int):
    network = Network(depth)
    network.load_state_dict(torch.load(OUT / checkpoint, weights_only=True))
    return network, network.named_arrays()


def check_against_torch(network, name: str):
    x = np.random.default_rng(5).standard_normal((2, 48, 48, 3), dtype=np.float32)
    conditions = np.array([[0, 1, 2, 1], [4, 4, 3, 3]])
    ours = Bract(MODELS / f"bract-{name}.safetensors").velocity(x, 0.6, conditions)
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
    write("bract", "full", full)
    write_half("bract", full)
    for bits in (8, 4, 3):
        write("bract", f"{bits}bit", *packed(full, bits, ENDS))
    check_against_torch(teacher, "full")
    if (OUT / "bract-swift.pt").exists():
        student, swift = arrays_of("bract-swift.pt", STUDENT_DEPTH)
        write("bract", "swift", swift)
        write("bract", "swift-4bit", *packed(swift, 4, ENDS))
        check_against_torch(student, "swift")


if __name__ == "__main__":
    main()
