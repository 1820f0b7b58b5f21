"""Which variants are worth considering, and which to pick (tradeoff.py), under what the user needs (needs.py)."""
