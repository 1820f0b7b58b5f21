"""Distils sprig to half its depth.  python -m training.sprig.distil [--iterations N] [--threads N]

The student begins as the teacher's first and last layers and learns the teacher's whole distribution of the next
character, not only the character (Hinton, Vinyals and Dean 2015, "Distilling the Knowledge in a Neural Network").
It is shallower rather than narrower: a character's cost in NumPy is the number of calls, not the arithmetic.
"""

import argparse
from pathlib import Path

import numpy as np
import torch
import torch.nn.functional as F

from training import OUT
from training.loop import train
from training.sprig.cards import batch, read_table
from training.sprig.network import STUDENT_DEPTH, Network

BATCH = 32


def main():
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--iterations", type=int, default=1200)
    options.add_argument("--threads", type=int, default=1)
    options.add_argument("--out", type=Path, default=OUT)
    chosen = options.parse_args()
    torch.set_num_threads(chosen.threads)
    teacher, student = Network(), Network(STUDENT_DEPTH)
    teacher.load_state_dict(torch.load(chosen.out / "sprig-full.pt", weights_only=True))
    teacher.requires_grad_(False)
    every, teacher.blocks = teacher.blocks, torch.nn.ModuleList([teacher.blocks[0], teacher.blocks[-1]])
    student.load_state_dict(teacher.state_dict())
    teacher.blocks = every
    table = read_table()

    def loss_of(network, iteration):
        ids, counted = batch(np.random.default_rng([3, iteration]), table, BATCH)
        theirs = F.log_softmax(teacher(ids[:, :-1]), dim=-1)
        ours = F.log_softmax(network(ids[:, :-1]), dim=-1)
        apart = (theirs.exp() * (theirs - ours)).sum(-1)
        return (apart * counted).sum() / counted.sum()

    average = train(student, loss_of, chosen.iterations, chosen.out / "sprig-student.ckpt", 0.01, 2e-3)
    torch.save(average.state_dict(), chosen.out / "sprig-swift.pt")


if __name__ == "__main__":
    main()
