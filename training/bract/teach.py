"""Trains bract, full precision, on labels drawn as it goes.

python -m training.bract.teach [--iterations N] [--threads N]

With --from WEIGHTS it goes on from weights that were trained before, with a schedule of its own.
"""

import argparse
import functools
from pathlib import Path

import numpy as np
import torch
from bract import CHOICES

from training import OUT
from training.bract.draw import draw, random_attributes
from training.bract.network import Network
from training.loop import train

BATCH = 24
POOL = 16_000  # labels drawn once, beforehand: drawing would take a third of the training's time
UNSAID_SHARE = 0.1  # how often a label is shown without its sentence, for guidance


@functools.cache
def pool():
    rng = np.random.default_rng(0)
    attributes = random_attributes(rng, POOL)
    return attributes, np.concatenate([draw(rng, part) for part in np.array_split(attributes, 64)])


def batch_of(iteration: int):
    all_attributes, labels = pool()
    rng = np.random.default_rng([1, iteration])
    chosen = rng.integers(0, POOL, BATCH)
    attributes = all_attributes[chosen]
    drawn = torch.from_numpy(labels[chosen]).permute(0, 3, 1, 2) * 2 - 1
    attributes[rng.random(BATCH) < UNSAID_SHARE] = [len(choices) for choices in CHOICES]
    noise = torch.from_numpy(rng.standard_normal(drawn.shape, dtype=np.float32))
    times = torch.from_numpy(1 / (1 + np.exp(-rng.standard_normal(BATCH))).astype(np.float32))  # dense in the middle
    along = times[:, None, None, None]
    return (1 - along) * drawn + along * noise, times, torch.from_numpy(attributes), noise - drawn


def main():
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--iterations", type=int, default=7000)
    options.add_argument("--threads", type=int, default=2)
    options.add_argument("--from", dest="start", type=Path, metavar="WEIGHTS")
    options.add_argument("--out", type=Path, default=OUT)
    chosen = options.parse_args()
    torch.set_num_threads(chosen.threads)
    torch.manual_seed(1)
    network = Network()
    if chosen.start:
        network.load_state_dict(torch.load(chosen.start, weights_only=True))

    def loss_of(network, iteration):
        pictures, times, conditions, velocity = batch_of(iteration)
        return (network(pictures, times, conditions) - velocity).square().mean()

    average = train(network, loss_of, chosen.iterations, chosen.out / "bract-teacher.ckpt", 0.02, 2e-3)
    torch.save(average.state_dict(), chosen.out / "bract-full.pt")


if __name__ == "__main__":
    main()
