"""sprig: a small model that writes care cards for a nursery's plants, in NumPy alone.

It is asked for a plant and for the facts that its card is to tell, such as "a care card for Tamberwort: light,
water, soil", and writes the card a character at a time: its tokens are characters. What it knows of the plants it
learned by heart from the nursery's table (plants.csv), so that its cards can be checked against that; a variant
that has lost precision mixes facts up.

The network is a transformer that sees the latest three characters at once. Keys and values of what it has read
are kept, so that each further character costs one pass for that character only. How its weights are kept is told
in weights.py.
"""

import re
from collections.abc import Iterator
from pathlib import Path

import numpy as np
from weights import Weights, normalised, softmax

FACTS = ("light", "water", "soil", "height", "bloom", "frost")
ALPHABET = "\0\n abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789.,:-"
END = 0  # the character that ends a card
CODE_OF = {character: code for code, character in enumerate(ALPHABET)}
WIDTH, HEADS = 96, 4
LOOK_BACK = 3  # characters that are seen at once
LONGEST = 320  # characters of question and card together
SENTENCE = re.compile(r"(?:an? (?:care )?card for )?([A-Z][a-z]+): ([a-z, ]+?)\.?", re.ASCII)


def parse_prompt(prompt: str) -> tuple[str, tuple[str, ...]]:
    """Return (plant, facts asked for, in the order of a card); ValueError says what may be asked."""
    found = SENTENCE.fullmatch(prompt.strip())
    said = {word.strip() for word in found[2].split(",")} if found else set()
    if not found or not said <= set(FACTS):
        raise ValueError(
            f"sprig can't write {prompt!r}: it knows 'a care card for PLANT: FACT, FACT', with PLANT as in plants.csv "
            f"and each FACT one of {', '.join(FACTS)}"
        )
    return found[1], tuple(fact for fact in FACTS if fact in said)


def asked(plant: str, facts: tuple[str, ...]) -> str:
    """Return the question as sprig reads it."""
    return f"{plant}: {', '.join(facts)}\n"


def as_ids(text: str) -> list[int]:
    """Return the codes of a text's characters; ValueError names one that sprig does not know."""
    try:
        return [CODE_OF[character] for character in text]
    except KeyError as error:
        raise ValueError(f"sprig does not know the character {error.args[0]!r}") from error


class Sprig:
    """The scores of the next character, and the writing of a card."""

    def __init__(self, path: Path):
        """Read a weights file of sprig's."""
        self.weights = Weights(path)

    def scores(self, ids: list[int], kept: "Kept") -> np.ndarray:
        """Return the scores of each next character, (new, alphabet), for the ids that `kept` has not read yet.

        ids: all characters so far; kept: what earlier passes over their beginning have left, and takes this one's.
        """
        weights, start, length = self.weights, kept.length, len(ids)
        if length > LONGEST:
            raise ValueError(f"sprig reads and writes {LONGEST} characters at most; this is {length}")
        padded = np.array([END] * (LOOK_BACK - 1) + list(ids))
        x = weights["place"][start:length]
        for back in range(LOOK_BACK):
            x = x + weights[f"letters.{back}"][padded[start + LOOK_BACK - 1 - back : length + LOOK_BACK - 1 - back]]
        for layer in range(weights.depth):
            seen = self.attention(layer, normalised(x) * weights[f"block.{layer}.scale_1"], kept)
            x = x + seen @ weights[f"block.{layer}.out"]
            hidden = np.maximum(normalised(x) * weights[f"block.{layer}.scale_2"] @ weights[f"block.{layer}.up"], 0)
            x = x + (hidden * hidden) @ weights[f"block.{layer}.down"]
        kept.length = length
        return normalised(x) * weights["last.scale"] @ weights["head"]

    def attention(self, layer: int, x: np.ndarray, kept: "Kept") -> np.ndarray:
        """Mix what the characters so far have to say; x: (new, width)."""
        new, start = len(x), kept.length
        mixed = (x @ self.weights[f"block.{layer}.qkv"]).reshape(new, 3, HEADS, WIDTH // HEADS).transpose(1, 2, 0, 3)
        queries, keys, values = mixed  # each (heads, new, width / heads)
        kept.keys[layer, :, start : start + new] = keys
        kept.values[layer, :, start : start + new] = values
        scores = queries @ kept.keys[layer, :, : start + new].swapaxes(-1, -2) * np.float32((WIDTH // HEADS) ** -0.5)
        if new > 1:
            ahead = np.arange(start + new) > np.arange(start, start + new)[:, None]
            scores[:, ahead] = -np.inf
        seen = softmax(scores) @ kept.values[layer, :, : start + new]
        return seen.transpose(1, 0, 2).reshape(new, WIDTH)

    def write(self, prompt: str, seed: int, temperature: float = 0.0, most: int = LONGEST) -> Iterator[str]:
        """Yield the card for a prompt, a character at a time, `most` of them at most.

        temperature 0 takes the likeliest character; above, the seed decides (scores are divided by it).
        """
        rng = np.random.default_rng(seed)
        ids = as_ids(asked(*parse_prompt(prompt)))
        kept = Kept(self.weights.depth)
        for _ in range(min(most, LONGEST - len(ids))):
            scores = self.scores(ids, kept)[-1]
            chosen = int(scores.argmax() if temperature <= 0 else draw(rng, scores / temperature))
            if chosen == END:
                return
            ids.append(chosen)
            yield ALPHABET[chosen]

    def log_probabilities(self, prompt: str, card: str) -> tuple[np.ndarray, np.ndarray]:
        """Return (log-probabilities (characters + 1, alphabet) in nats, codes (characters + 1)) of a given card.

        The last of them is for the card's end. Row i is what sprig expected where code i stands.
        """
        question, told = as_ids(asked(*parse_prompt(prompt))), [*as_ids(card), END]
        scores = self.scores([*question, *told[:-1]], Kept(self.weights.depth))[len(question) - 1 :]
        scores = scores - scores.max(axis=-1, keepdims=True)
        return scores - np.log(np.exp(scores).sum(axis=-1, keepdims=True)), np.array(told)


class Kept:
    """Keys and values of the characters read so far, for every layer."""

    def __init__(self, depth: int):
        self.length = 0
        self.keys = np.zeros((depth, HEADS, LONGEST, WIDTH // HEADS), np.float32)
        self.values = np.zeros_like(self.keys)


def draw(rng: np.random.Generator, scores: np.ndarray) -> int:
    """Return a character's code, drawn with the probabilities that the scores stand for."""
    return int((np.cumsum(softmax(scores.copy())) < rng.random()).sum())
