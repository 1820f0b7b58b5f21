"""Writes sprig's weights as the variants that ship, and holds NumPy's arithmetic against PyTorch's."""

import sys

import numpy as np
import torch
from sprig import Sprig, as_ids

from training import MODELS, OUT
from training.packing import packed, write, write_half
from training.sprig.cards import random_card, read_table
from training.sprig.network import DEPTH, STUDENT_DEPTH, Network

ENDS = ("place", "letters.0", "letters.1", "letters.2")
# Larger groups than bract has: so small a model, with all it knows learned by heart, would else lose next to nothing.
GROUP, ENDS_GROUP = 576, 96


def network_of(checkpoint: str, depth: int):
    network = Network(depth)
    network.load_state_dict(torch.load(OUT / checkpoint, weights_only=True))
    return network


def check_against_torch(network, name: str):
    question, card = random_card(np.random.default_rng(6), read_table(), held_out=True)
    ours, ids = Sprig(MODELS / f"sprig-{name}.safetensors").log_probabilities(question.strip(), card)
    with torch.no_grad():
        theirs = network(torch.tensor([[*as_ids(question), *ids[:-1]]])).log_softmax(-1)[0, -len(ids) :]
    difference = np.abs(ours - theirs.numpy()).max()
    print(f"{name}: NumPy and PyTorch differ by {difference:.1e} at most")
    if difference > 1e-3:
        sys.exit("that is too much")


def main():
    MODELS.mkdir(exist_ok=True)
    teacher = network_of("sprig-full.pt", DEPTH)
    full = teacher.named_arrays()
    write("sprig", "full", full)
    write_half("sprig", full)
    for bits in (8, 4, 3):
        write("sprig", f"{bits}bit", *packed(full, bits, ENDS, GROUP, ENDS_GROUP))
    check_against_torch(teacher, "full")
    if (OUT / "sprig-swift.pt").exists():
        student = network_of("sprig-swift.pt", STUDENT_DEPTH)
        swift = student.named_arrays()
        write("sprig", "swift", swift)
        write("sprig", "swift-4bit", *packed(swift, 4, ENDS, GROUP, ENDS_GROUP))
        check_against_torch(student, "swift")


if __name__ == "__main__":
    main()
