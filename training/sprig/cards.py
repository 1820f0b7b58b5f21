"""Writes the cards that sprig learns from: what is asked, and the card that answers it.

Each fact can be put in several ways, the first more often than the rest, so that there is something to choose when
sprig writes with a temperature. For every plant a quarter of the combinations of facts is never shown in training:
the demo's tasks ask for those.
"""

import csv
from itertools import combinations
from zlib import crc32

import numpy as np
import torch
from sprig import END, FACTS, LONGEST, as_ids, asked

from training import PROJECT

WAYS = {
    "light": ("Stand it in {}.", "It wants {}.", "Best in {}."),
    "water": ("Water it {}.", "Give it water {}.", "A drink {}."),
    "soil": ("Pot it in {}.", "It grows in {}.", "Roots like {}."),
    "height": ("It reaches {}.", "Grows to {}.", "Up to {} tall."),
    "bloom": ("Flowers open in {}.", "It blooms in {}.", "In flower by {}."),
    "frost": ("It bears {}.", "Stands {}.", "Hardy: {}."),
}
WAY_SHARES = (0.6, 0.25, 0.15)
COMBINATIONS = tuple(combo for size in range(1, len(FACTS) + 1) for combo in combinations(FACTS, size))


def read_table():
    with open(PROJECT / "plants.csv", newline="", encoding="utf-8") as file:
        return {row.pop("plant"): row for row in csv.DictReader(file)}


def is_held_out(plant: str, facts) -> bool:
    return crc32(f"{plant} {' '.join(facts)}".encode()) % 4 == 0


def write_card(rng, plant: str, row, facts) -> str:
    lines = [WAYS[fact][rng.choice(len(WAY_SHARES), p=WAY_SHARES)].format(row[fact]) for fact in facts]
    return "\n".join([plant, *lines])


def random_card(rng, table, held_out: bool = False):
    """Return (what is asked, the card) for a random plant and combination of facts."""
    plants = list(table)
    while True:
        plant = plants[rng.integers(len(plants))]
        size = rng.choice([1, 2, 3, 4, 5, 6], p=[0.1, 0.1, 0.15, 0.2, 0.2, 0.25])
        facts = tuple(fact for fact in FACTS if fact in set(rng.choice(FACTS, size, replace=False)))
        if is_held_out(plant, facts) == held_out:
            return asked(plant, facts), write_card(rng, plant, table[plant], facts)


def batch(rng, table, count: int, held_out: bool = False):
    """Return (ids (count, length), counted (count, length - 1)): counted marks the card's own characters."""
    ids = np.full((count, LONGEST), END, np.int64)
    counted = np.zeros((count, LONGEST - 1), np.float32)
    longest = 0
    for place in range(count):
        question, card = random_card(rng, table, held_out)
        text = [*as_ids(question), *as_ids(card), END]
        ids[place, : len(text)] = text
        counted[place, len(question) - 1 : len(text) - 1] = 1
        longest = max(longest, len(text))
    return torch.from_numpy(ids[:, :longest]), torch.from_numpy(counted[:, : longest - 1])
