"""Fits the network and writes its weights: run once, before the plan.  python make_weights.py"""

from pathlib import Path

import torch
from network import fitted

torch.save(fitted().state_dict(), Path(__file__).with_name("names.pt"))
