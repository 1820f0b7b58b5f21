"""Distils bract to four steps.  python -m training.bract.distil [--pairs N] [--iterations N] [--threads N]

The teacher walks from noise to a label in 20 guided steps; the student learns to cover five of them in one, from
the states that the teacher passes through (as in Salimans and Ho 2022, "Progressive Distillation for Fast Sampling
of Diffusion Models", with one halving replaced by one fifth). Guidance is built in: the student is asked once a step.
It begins as the teacher without its third layer.
"""

import argparse
from pathlib import Path

import numpy as np
import torch
from bract import SIZE

from training import OUT
from training.bract.draw import random_attributes
from training.bract.network import STUDENT_DEPTH, Network, walk
from training.loop import train

STEPS, GUIDANCE, STUDENT_STEPS = 20, 2.0, 4
BATCH, PAIRS_AT_A_TIME = 24, 50


def make_pairs(teacher, count: int, cache: Path):
    """Return (conditions, states): states (count, 5, 3, 48, 48), from noise to label, kept in a file."""
    conditions = torch.from_numpy(random_attributes(np.random.default_rng(2), count))
    if not cache.exists():
        states = np.empty((count, STUDENT_STEPS + 1, 3, SIZE, SIZE), np.float16)
        for start in range(0, count, PAIRS_AT_A_TIME):
            part = conditions[start : start + PAIRS_AT_A_TIME]
            shape = (len(part), 3, SIZE, SIZE)
            noise = torch.from_numpy(np.random.default_rng([3, start]).standard_normal(shape, dtype=np.float32))
            passed = walk(teacher, noise, part, STEPS, GUIDANCE)[:: STEPS // STUDENT_STEPS]
            states[start : start + len(part)] = torch.stack(passed, dim=1).half().numpy()
            print(f"pairs {start + len(part)}/{count}", flush=True)
        np.save(cache, states)
    return conditions, np.load(cache, mmap_mode="r")


def main():
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--pairs", type=int, default=3000)
    options.add_argument("--iterations", type=int, default=3000)
    options.add_argument("--threads", type=int, default=2)
    options.add_argument("--out", type=Path, default=OUT)
    chosen = options.parse_args()
    torch.set_num_threads(chosen.threads)
    teacher, student = Network(), Network(STUDENT_DEPTH)
    teacher.load_state_dict(torch.load(chosen.out / "bract-full.pt", weights_only=True))
    teacher.blocks, every = teacher.blocks[:2] + teacher.blocks[3:], teacher.blocks
    student.load_state_dict(teacher.state_dict())
    teacher.blocks = every
    conditions, states = make_pairs(teacher, chosen.pairs, chosen.out / "bract-pairs.npy")

    def loss_of(network, iteration):
        rng = np.random.default_rng([4, iteration])
        pairs, parts = rng.integers(0, len(states), BATCH), rng.integers(0, STUDENT_STEPS, BATCH)
        here = torch.from_numpy(np.stack([states[i, k] for i, k in zip(pairs, parts)]).astype(np.float32))
        there = torch.from_numpy(np.stack([states[i, k + 1] for i, k in zip(pairs, parts)]).astype(np.float32))
        times = torch.from_numpy((1 - parts / STUDENT_STEPS).astype(np.float32))
        velocity = (here - there) * STUDENT_STEPS
        return (network(here, times, conditions[pairs]) - velocity).square().mean()

    average = train(student, loss_of, chosen.iterations, chosen.out / "bract-student.ckpt", 0.008, 1e-3)
    torch.save(average.state_dict(), chosen.out / "bract-swift.pt")


if __name__ == "__main__":
    main()
