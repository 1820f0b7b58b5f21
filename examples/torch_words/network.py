"""A small recurrent network over letters, fitted in some seconds to names that are made up here."""

import random

import torch
from torch import nn

LETTERS = "\nabcdefghijklmnopqrstuvwxyz"
FIRST = ("tam", "ol", "bren", "quil", "mar", "lum", "sor", "has", "fen", "dap", "um", "wis")
MIDDLE = ("ber", "li", "ro", "la", "ne", "ti", "va")
LAST = ("wort", "fern", "bell", "moss", "cress", "foil", "balm", "thorn")


class Names(nn.Module):
    """Scores of the next letter: names(codes (batch, length), state) -> (batch, length, letters), state."""

    def __init__(self, width: int = 512):
        super().__init__()
        self.letters = nn.Embedding(len(LETTERS), width)
        self.memory = nn.LSTM(width, width, num_layers=2, batch_first=True)
        self.head = nn.Linear(width, len(LETTERS))

    def forward(self, codes, state=None):
        seen, state = self.memory(self.letters(codes), state)
        return self.head(seen), state


def codes_of(name: str) -> torch.Tensor:
    """Return a name's letters as codes (1, length + 2), with an end of line before and behind."""
    return torch.tensor([[LETTERS.index(letter) for letter in f"\n{name}\n"]])


def fitted(iterations: int = 120) -> Names:
    """Return the network, fitted to made-up names; the same each time."""
    torch.manual_seed(1)
    draw = random.Random(1)
    network = Names()
    optimizer = torch.optim.AdamW(network.parameters(), lr=2e-3)
    for _ in range(iterations):
        names = ["".join(map(draw.choice, (FIRST, MIDDLE, LAST))) for _ in range(32)]
        longest = max(map(len, names))
        codes = torch.cat([codes_of(name.ljust(longest, "\n")) for name in names])
        scores, _ = network(codes[:, :-1])
        loss = nn.functional.cross_entropy(scores.flatten(0, 1), codes[:, 1:].flatten())
        optimizer.zero_grad()
        loss.backward()
        optimizer.step()
    return network.eval()


def quantized(network: Names) -> nn.Module:
    """Return the network with its matrices in 8-bit integers; what passes between layers stays in float."""
    return torch.ao.quantization.quantize_dynamic(network, {nn.LSTM, nn.Linear}, dtype=torch.qint8)
