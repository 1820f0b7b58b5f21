"""sprig's network in PyTorch, for training. The same arithmetic stands in NumPy in sprig.py."""

import torch
import torch.nn.functional as F
from sprig import ALPHABET, HEADS, LONGEST, LOOK_BACK, WIDTH
from torch import nn

from training.parts import matrix, normalised

DEPTH, STUDENT_DEPTH = 4, 2
INSIDE = 2 * WIDTH


class Block(nn.Module):
    def __init__(self):
        super().__init__()
        self.qkv = matrix(WIDTH, 3 * WIDTH)
        self.out = matrix(WIDTH, WIDTH, 0.5)
        self.up = matrix(WIDTH, INSIDE)
        self.down = matrix(INSIDE, WIDTH, 0.5)
        self.scale_1 = nn.Parameter(torch.ones(WIDTH))
        self.scale_2 = nn.Parameter(torch.ones(WIDTH))

    def forward(self, x):
        batch, length, _ = x.shape
        mixed = (normalised(x) * self.scale_1 @ self.qkv).view(batch, length, 3, HEADS, WIDTH // HEADS)
        queries, keys, values = mixed.permute(2, 0, 3, 1, 4)
        seen = F.scaled_dot_product_attention(queries, keys, values, is_causal=True)
        x = x + seen.transpose(1, 2).reshape(batch, length, WIDTH) @ self.out
        return x + F.relu(normalised(x) * self.scale_2 @ self.up).square() @ self.down


class Network(nn.Module):
    """Scores of the next character: network(ids (batch, length)) -> (batch, length, alphabet)."""

    def __init__(self, depth: int = DEPTH):
        super().__init__()
        self.letters = nn.ParameterList(
            [torch.randn(len(ALPHABET), WIDTH) * 0.5 / (1 + back) for back in range(LOOK_BACK)]
        )
        self.place = nn.Parameter(torch.randn(LONGEST, WIDTH) * 0.1)
        self.blocks = nn.ModuleList([Block() for _ in range(depth)])
        self.last_scale = nn.Parameter(torch.ones(WIDTH))
        self.head = nn.Parameter(torch.zeros(WIDTH, len(ALPHABET)))

    def forward(self, ids):
        length = ids.shape[1]
        x = self.place[:length]
        for back, table in enumerate(self.letters):
            x = x + table[F.pad(ids, (back, 0))[:, :length]]
        for block in self.blocks:
            x = block(x)
        return normalised(x) * self.last_scale @ self.head

    def matrices_and_rest(self):
        """Muon takes the blocks' matrices; the rest (tables, ends, vectors) is AdamW's."""
        inner = [m for block in self.blocks for m in (block.qkv, block.out, block.up, block.down)]
        known = {id(m) for m in inner}
        return inner, [parameter for parameter in self.parameters() if id(parameter) not in known]

    def named_arrays(self):
        """Return the weights under the names that sprig.py reads."""
        arrays = {"place": self.place, "last.scale": self.last_scale, "head": self.head}
        arrays.update({f"letters.{back}": table for back, table in enumerate(self.letters)})
        for layer, block in enumerate(self.blocks):
            for name in ("qkv", "out", "up", "down", "scale_1", "scale_2"):
                arrays[f"block.{layer}.{name}"] = getattr(block, name)
        return {name: array.detach().float().numpy().copy() for name, array in arrays.items()}
