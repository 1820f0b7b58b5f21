"""The training loop that all models share: by iterations, resumable, with a moving average."""

import copy
import math
import time
from pathlib import Path

import torch

AVERAGE = 0.998


def train(network, loss_of, iterations: int, checkpoint: Path, muon_rate: float, adam_rate: float):
    """Train network to make loss_of(network, iteration) small; return its moving average.

    Nothing depends on the clock: an iteration's batch follows from its number, so a resumed training and an
    unbroken one see the same data.
    """
    inner, rest = network.matrices_and_rest()
    optimizers = [
        torch.optim.Muon(inner, lr=muon_rate, weight_decay=0.01, adjust_lr_fn="original"),
        torch.optim.AdamW(rest, lr=adam_rate, weight_decay=0.0, betas=(0.9, 0.99)),
    ]
    schedules = [
        torch.optim.lr_scheduler.LambdaLR(o, lambda i: min(1, (i + 1) / 100) * (0.02 + 0.98 * cosine(i / iterations)))
        for o in optimizers
    ]
    average = copy.deepcopy(network)
    start = 0
    if checkpoint.exists():
        saved = torch.load(checkpoint, weights_only=True)
        network.load_state_dict(saved["network"])
        average.load_state_dict(saved["average"])
        for part, state in zip(optimizers + schedules, saved["parts"], strict=True):
            part.load_state_dict(state)
        start = saved["iteration"]
    smoothed, began = None, time.monotonic()
    for iteration in range(start, iterations):
        loss = loss_of(network, iteration)
        loss.backward()
        for part in optimizers:
            part.step()
            part.zero_grad()
        for schedule in schedules:
            schedule.step()
        keep = min(AVERAGE, iteration / (iteration + 10))
        with torch.no_grad():
            for slow, fast in zip(average.parameters(), network.parameters(), strict=True):
                slow.lerp_(fast, 1 - keep)
        smoothed = loss.item() if smoothed is None else 0.99 * smoothed + 0.01 * loss.item()
        if (iteration + 1) % 100 == 0:
            pace = (time.monotonic() - began) / (iteration + 1 - start)
            print(f"{iteration + 1}/{iterations}  loss {smoothed:.4f}  {pace:.3f} s an iteration", flush=True)
        if (iteration + 1) % 500 == 0 or iteration + 1 == iterations:
            checkpoint.parent.mkdir(parents=True, exist_ok=True)
            torch.save(
                {
                    "network": network.state_dict(),
                    "average": average.state_dict(),
                    "iteration": iteration + 1,
                    "parts": [part.state_dict() for part in optimizers + schedules],
                },
                checkpoint.with_suffix(".part"),
            )
            checkpoint.with_suffix(".part").replace(checkpoint)
    return average


def cosine(share: float) -> float:
    return 0.5 + 0.5 * math.cos(math.pi * share)
