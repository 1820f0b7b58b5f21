"""How a measure answers to a setting (curve.py), and to the place along a run (along.py)."""
