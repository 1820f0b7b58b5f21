"""A program that judges two labels: the one with the stronger colours sells better, says the till.

    python judge_label.py left.png right.png

It prints one JSON object: {"answer": "left", "right" or "even", "why": "..."}.
"""

import json
import sys

import numpy as np
from PIL import Image

EVEN_WITHIN = 0.01


def strength(file: str) -> float:
    """Return how far a label's pixels lie from grey, in the mean."""
    pixels = np.asarray(Image.open(file).convert("RGB"), np.float32) / 255
    return float((pixels.max(axis=2) - pixels.min(axis=2)).mean())


left, right = (strength(file) for file in sys.argv[1:3])
apart = left - right
answer = "even" if abs(apart) < EVEN_WITHIN else "left" if apart > 0 else "right"
print(json.dumps({"answer": answer, "why": f"colour {left:.3f} against {right:.3f}"}))
