"""What both networks are made of."""

import math

import torch
from torch import nn


def matrix(rows: int, columns: int, scale: float = 1.0) -> nn.Parameter:
    return nn.Parameter(torch.randn(rows, columns) * scale / math.sqrt(rows))


def normalised(x):
    """Scale the last axis to a root mean square of one."""
    return x * torch.rsqrt(x.square().mean(-1, keepdim=True) + 1e-6)
