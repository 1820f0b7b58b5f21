"""bract: a small model that paints plant labels, in NumPy alone.

A label is a flower on a ground, asked for in one sentence such as "a violet flower with six petals
on night ground, one leaf". bract starts from noise and follows a learned velocity field to a picture
in a number of steps (rectified flow: Lipman et al. 2023, "Flow Matching for Generative Modeling";
Liu et al. 2023, "Flow Straight and Fast"). The network is a transformer over 8x8 patches laid every
6 pixels, so that neighbours overlap and no seams show.

How its weights are kept is told in weights.py.
"""

import math
import re
from functools import partial
from pathlib import Path

import numpy as np
from weights import Weights, normalised, softmax

COLOURS = ("rose", "amber", "violet", "white")
PETALS = ("four", "five", "six", "eight")
GROUNDS = ("soil", "meadow", "night")
LEAVES = ("no leaf", "one leaf", "two leaves")
CHOICES = (COLOURS, PETALS, GROUNDS, LEAVES)
SENTENCE = re.compile(
    r"an? (\w+) flower with (\w+) petals on (\w+) ground, (no leaf|one leaf|two leaves)\.?", re.IGNORECASE
)

SIZE = 48  # pixels a side
PATCH, STRIDE = 8, 6  # a patch's side, and how far apart patches start
SIDE = SIZE // STRIDE  # patches a side
MARGIN = (PATCH - STRIDE) // 2  # the border that the outermost patches reach over
WIDTH, HEADS = 128, 4
TIME_WIDTH = 64


def parse_prompt(prompt: str) -> tuple[int, int, int, int]:
    """Return the index of each attribute in CHOICES; ValueError says what a label may be asked for."""
    found = SENTENCE.fullmatch(prompt.strip())
    if found:
        said = list(zip(map(str.lower, found.groups()), CHOICES, strict=True))
        if all(word in choices for word, choices in said):
            return tuple(choices.index(word) for word, choices in said)
    raise ValueError(
        f"bract can't paint {prompt!r}: it knows 'a COLOUR flower with NUMBER petals on GROUND ground, LEAVES', with "
        f"COLOUR one of {', '.join(COLOURS)}; NUMBER one of {', '.join(PETALS)}; GROUND one of {', '.join(GROUNDS)}; "
        f"LEAVES one of {', '.join(LEAVES)}"
    )


class Bract:
    """The velocity field, and the walk along it."""

    def __init__(self, path: Path):
        """Read a weights file of bract's."""
        self.weights = Weights(path)

    def velocity(self, pictures: np.ndarray, time: float, conditions: np.ndarray) -> np.ndarray:
        """Return d picture / d time.

        pictures: (batch, 48, 48, 3) in about -1..1; time: 1 is noise, 0 the picture; conditions: (batch, 4)
        indices of attributes, where the number of choices itself stands for "not said".
        """
        batch = len(pictures)
        shift = self.modulation(time)
        x = patches(pictures) @ self.weights["patch_in"] + self.weights["place"]
        said = np.stack([self.weights[f"said.{i}"][conditions[:, i]] for i in range(len(CHOICES))], axis=1)
        x = np.concatenate([said, x], axis=1)  # (batch, 4 + 64, width)
        for layer in range(self.weights.depth):
            table = shift + self.weights[f"block.{layer}.table"]
            x = x + table[2] * self.attention(layer, normalised(x) * (1 + table[0]) + table[1])
            hidden = (normalised(x) * (1 + table[3]) + table[4]) @ self.weights[f"block.{layer}.up"]
            hidden = np.maximum(hidden, 0)
            x = x + table[5] * ((hidden * hidden) @ self.weights[f"block.{layer}.down"])
        table = shift[:2] + self.weights["last.table"]
        out = (normalised(x[:, len(CHOICES) :]) * (1 + table[0]) + table[1]) @ self.weights["patch_out"]
        return overlapped(out.reshape(batch, SIDE, SIDE, PATCH, PATCH, 3))

    def modulation(self, time: float) -> np.ndarray:
        """Return what the time says to every layer: six rows (scale, shift, gate; twice)."""
        rates = np.exp(np.linspace(0, math.log(1000), TIME_WIDTH // 2, dtype=np.float32))
        waves = np.concatenate([np.cos(time * rates), np.sin(time * rates)]).astype(np.float32)
        hidden = np.maximum(waves @ self.weights["time.in"], 0)
        return (hidden @ self.weights["time.out"]).reshape(6, WIDTH)

    def attention(self, layer: int, x: np.ndarray) -> np.ndarray:
        batch, length, _ = x.shape
        mixed = (x @ self.weights[f"block.{layer}.qkv"]).reshape(batch, length, 3, HEADS, WIDTH // HEADS)
        queries, keys, values = mixed.transpose(2, 0, 3, 1, 4)  # each (batch, heads, length, width / heads)
        sharpness = self.weights[f"block.{layer}.sharpness"][:, None, None]
        scores = sharpness * normalised(queries) @ normalised(keys).swapaxes(-1, -2)
        seen = softmax(scores) @ values
        return seen.transpose(0, 2, 1, 3).reshape(batch, length, WIDTH) @ self.weights[f"block.{layer}.out"]

    def paint(self, prompt: str, seed: int, steps: int, guidance: float, on_step=None, noise=None) -> np.ndarray:
        """Return a picture (48, 48, 3) in 0..1, from the seed's noise or another.

        guidance above 1 asks the network twice a step, with and without the prompt, and goes further in the
        direction of their difference (Ho and Salimans 2022, "Classifier-Free Diffusion Guidance").
        on_step is called after each step, with a function that returns the picture that the walk is heading for.
        """
        said = parse_prompt(prompt)
        unsaid = [len(choices) for choices in CHOICES]
        conditions = np.array([said, unsaid] if guidance != 1 else [said])
        x = (noise_of(seed) if noise is None else noise)[None]
        for step in range(steps):
            time = 1 - step / steps
            velocity = self.velocity(np.repeat(x, len(conditions), axis=0), time, conditions)
            if guidance != 1:
                velocity = velocity[1:] + guidance * (velocity[:1] - velocity[1:])
            x = x - velocity / steps
            if on_step:
                on_step(partial(heading_for, x[0], velocity[0], time - 1 / steps))
        return as_picture(x[0])


def noise_of(seed: int) -> np.ndarray:
    """Return what a walk starts from, (48, 48, 3)."""
    return np.random.default_rng(seed).standard_normal((SIZE, SIZE, 3), dtype=np.float32)


def heading_for(x: np.ndarray, velocity: np.ndarray, time: float) -> np.ndarray:
    """Return the picture that x comes to if it goes straight on from this time."""
    return as_picture(x - time * velocity)


def as_picture(x: np.ndarray) -> np.ndarray:
    """Bring the network's scale, -1..1, to a picture's, 0..1."""
    return np.clip(x / 2 + 0.5, 0, 1)


def patches(pictures: np.ndarray) -> np.ndarray:
    """Cut (batch, 48, 48, 3) into (batch, 64, 8 x 8 x 3), each patch reaching a pixel over its neighbours."""
    framed = np.pad(pictures, ((0, 0), (MARGIN, MARGIN), (MARGIN, MARGIN), (0, 0)))
    cut = np.lib.stride_tricks.sliding_window_view(framed, (PATCH, PATCH), axis=(1, 2))[:, ::STRIDE, ::STRIDE]
    return cut.transpose(0, 1, 2, 4, 5, 3).reshape(len(pictures), SIDE * SIDE, PATCH * PATCH * 3)


def overlapped(cut: np.ndarray) -> np.ndarray:
    """Add patches (batch, 8, 8, 8, 8, 3) up where they overlap: the transpose of cutting.

    A patch is its own 6 pixels and the first 2 of the next one's, down and across: four sums of blocks.
    """
    blocks = np.zeros((len(cut), SIDE + 1, STRIDE, SIDE + 1, STRIDE, 3), np.float32)
    cut = cut.transpose(0, 1, 3, 2, 4, 5)  # (batch, down, within, across, within, 3), as the blocks are
    over = PATCH - STRIDE
    blocks[:, :-1, :, :-1] += cut[:, :, :STRIDE, :, :STRIDE]
    blocks[:, 1:, :over, :-1] += cut[:, :, STRIDE:, :, :STRIDE]
    blocks[:, :-1, :, 1:, :over] += cut[:, :, :STRIDE, :, STRIDE:]
    blocks[:, 1:, :over, 1:, :over] += cut[:, :, STRIDE:, :, STRIDE:]
    side = STRIDE * (SIDE + 1)
    return blocks.reshape(len(cut), side, side, 3)[:, MARGIN : MARGIN + SIZE, MARGIN : MARGIN + SIZE]
