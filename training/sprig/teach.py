"""Trains sprig, full precision.  python -m training.sprig.teach [--iterations N] [--threads N]"""

import argparse
from pathlib import Path

import numpy as np
import torch

from training import OUT
from training.loop import train
from training.sprig.cards import batch, read_table
from training.sprig.network import Network

BATCH = 32


def surprise(network, ids, counted):
    """Return the mean negative log-probability, in nats, of the characters counted."""
    scores = network(ids[:, :-1])
    lost = torch.nn.functional.cross_entropy(scores.transpose(1, 2), ids[:, 1:], reduction="none")
    return (lost * counted).sum() / counted.sum()


def main():
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--iterations", type=int, default=2000)
    options.add_argument("--threads", type=int, default=1)
    options.add_argument("--out", type=Path, default=OUT)
    chosen = options.parse_args()
    torch.set_num_threads(chosen.threads)
    torch.manual_seed(1)
    table = read_table()

    def loss_of(network, iteration):
        return surprise(network, *batch(np.random.default_rng([1, iteration]), table, BATCH))

    average = train(Network(), loss_of, chosen.iterations, chosen.out / "sprig-teacher.ckpt", 0.02, 3e-3)
    torch.save(average.state_dict(), chosen.out / "sprig-full.pt")
    with torch.no_grad():
        unseen = surprise(average, *batch(np.random.default_rng(2), table, 64, held_out=True))
    print(f"combinations held out: {unseen.item():.4f} nats a character")


if __name__ == "__main__":
    main()
