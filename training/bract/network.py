"""bract's network in PyTorch, for training. The same arithmetic stands in NumPy in unvek/demo/project/bract.py."""

import math

import torch
import torch.nn.functional as F
from bract import CHOICES, HEADS, MARGIN, PATCH, SIDE, SIZE, STRIDE, TIME_WIDTH, WIDTH
from torch import nn

from training.parts import matrix, normalised

PATCH_NUMBERS = PATCH * PATCH * 3
DEPTH, STUDENT_DEPTH = 4, 3


class Block(nn.Module):
    def __init__(self):
        super().__init__()
        self.qkv = matrix(WIDTH, 3 * WIDTH)
        self.out = matrix(WIDTH, WIDTH, 0.5)
        self.up = matrix(WIDTH, 2 * WIDTH)
        self.down = matrix(2 * WIDTH, WIDTH, 0.5)
        self.sharpness = nn.Parameter(torch.full((HEADS,), 6.0))
        self.table = nn.Parameter(torch.tensor([0.0, 0, 0.3, 0, 0, 0.3])[:, None].repeat(1, WIDTH))

    def forward(self, x, shift):
        scale_1, shift_1, gate_1, scale_2, shift_2, gate_2 = (shift + self.table).unbind(1)
        x = x + gate_1[:, None] * self.attention(normalised(x) * (1 + scale_1[:, None]) + shift_1[:, None])
        hidden = F.relu((normalised(x) * (1 + scale_2[:, None]) + shift_2[:, None]) @ self.up).square()
        return x + gate_2[:, None] * (hidden @ self.down)

    def attention(self, x):
        batch, length, _ = x.shape
        queries, keys, values = (x @ self.qkv).view(batch, length, 3, HEADS, WIDTH // HEADS).permute(2, 0, 3, 1, 4)
        queries = self.sharpness[:, None, None] * normalised(queries)
        seen = F.scaled_dot_product_attention(queries, normalised(keys), values, scale=1.0)
        return seen.transpose(1, 2).reshape(batch, length, WIDTH) @ self.out


class Network(nn.Module):
    """velocity = network(pictures (batch, 3, 48, 48), times (batch,), conditions (batch, 4))."""

    def __init__(self, depth: int = DEPTH):
        super().__init__()
        self.patch_in = matrix(PATCH_NUMBERS, WIDTH)
        self.patch_out = nn.Parameter(torch.zeros(WIDTH, PATCH_NUMBERS))
        self.place = nn.Parameter(torch.randn(SIDE * SIDE, WIDTH) * 0.3)
        self.said = nn.ParameterList([torch.randn(len(choices) + 1, WIDTH) for choices in CHOICES])
        self.time_in = matrix(TIME_WIDTH, TIME_WIDTH)
        self.time_out = nn.Parameter(torch.randn(TIME_WIDTH, 6 * WIDTH) * 0.02)
        self.blocks = nn.ModuleList([Block() for _ in range(depth)])
        self.last_table = nn.Parameter(torch.zeros(2, WIDTH))
        self.register_buffer("rates", torch.exp(torch.linspace(0, math.log(1000), TIME_WIDTH // 2)), persistent=False)

    def forward(self, pictures, times, conditions):
        angles = times[:, None] * self.rates
        waves = torch.cat([angles.cos(), angles.sin()], dim=1)
        shift = (F.relu(waves @ self.time_in) @ self.time_out).view(-1, 6, WIDTH)
        cut = F.unfold(pictures, PATCH, padding=MARGIN, stride=STRIDE)  # (batch, 3 x 8 x 8, 64)
        cut = cut.view(-1, 3, PATCH * PATCH, SIDE * SIDE).permute(0, 3, 2, 1).reshape(-1, SIDE * SIDE, PATCH_NUMBERS)
        x = cut @ self.patch_in + self.place
        said = torch.stack([table[conditions[:, i]] for i, table in enumerate(self.said)], dim=1)
        x = torch.cat([said, x], dim=1)
        for block in self.blocks:
            x = block(x, shift)
        scale, moved = (shift[:, :2] + self.last_table).unbind(1)
        out = (normalised(x[:, len(CHOICES) :]) * (1 + scale[:, None]) + moved[:, None]) @ self.patch_out
        out = out.view(-1, SIDE * SIDE, PATCH * PATCH, 3).permute(0, 3, 2, 1).reshape(-1, PATCH_NUMBERS, SIDE * SIDE)
        return F.fold(out, (SIZE, SIZE), PATCH, padding=MARGIN, stride=STRIDE)

    def matrices_and_rest(self):
        """Muon takes the blocks' matrices; the rest (tables, ends, vectors) is AdamW's."""
        inner = [m for block in self.blocks for m in (block.qkv, block.out, block.up, block.down)]
        known = {id(m) for m in inner}
        return inner, [parameter for parameter in self.parameters() if id(parameter) not in known]

    def named_arrays(self):
        """Return the weights under the names that bract.py reads."""
        arrays = {
            "patch_in": self.patch_in,
            "patch_out": self.patch_out,
            "place": self.place,
            "time.in": self.time_in,
            "time.out": self.time_out,
            "last.table": self.last_table,
        }
        arrays.update({f"said.{i}": table for i, table in enumerate(self.said)})
        for layer, block in enumerate(self.blocks):
            for name in ("qkv", "out", "up", "down", "sharpness", "table"):
                arrays[f"block.{layer}.{name}"] = getattr(block, name)
        return {name: array.detach().float().numpy().copy() for name, array in arrays.items()}


@torch.no_grad()
def walk(network, noise, conditions, steps, guidance):
    """Follow the velocity from noise; return the states, steps + 1 of them, noise first."""
    unsaid = torch.tensor([[len(choices) for choices in CHOICES]]).repeat(len(noise), 1)
    states = [noise]
    for step in range(steps):
        times = torch.full((2 * len(noise),), 1 - step / steps)
        both = network(torch.cat([states[-1]] * 2), times, torch.cat([conditions, unsaid]))
        asked, free = both.chunk(2)
        states.append(states[-1] - (free + guidance * (asked - free)) / steps)
    return states
