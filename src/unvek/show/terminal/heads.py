"""How measures are called at the head of a column, and how long each column stays as a window narrows."""

from unvek.core.measures.catalogue import (
    CALLS,
    COST_PER_CALL,
    COST_PER_GOOD,
    COST_PER_THOUSAND,
    COST_PER_TOKEN,
    MODEL_MEMORY,
    PEAK_MEMORY,
    PHASE_STEP_TIME,
    PHASE_STEPS,
    PHASE_TIME,
    READ_TOKENS,
    RETRIES,
    TIME,
)
from unvek.core.plain_text import clean

HEADS = {
    TIME: "time",
    "step.time": "a step",
    "time.load": "load",
    PEAK_MEMORY: "memory",
    MODEL_MEMORY: "model memory",
    "memory.device": "on device",
    "rate.tokens": "tokens",
    "rate.words": "words",
    "rate.characters": "characters",
    "rate.pieces": "pieces",
    "time.first": "first token",
    "rate.input": "prompt tokens",
    "gap.median": "a token",
    "gap.p99": "99 % gap",
    "output.tokens": "tokens out",
    "rate.tokens.sum": "all tokens",
    "rate.words.sum": "all words",
    "rate.characters.sum": "all characters",
    "rate.pieces.sum": "all pieces",
    "request.time": "a request",
    "requests.failed": "refused",
    "time.per.token": "a token",
    "time.per.frame": "a frame",
    "time.per.megapixel": "a megapixel",
    "time.fixed": "beside steps",
    COST_PER_THOUSAND: "cost",
    COST_PER_GOOD: "cost of good ones",
    COST_PER_TOKEN: "cost a token",
    COST_PER_CALL: "cost a call",
    READ_TOKENS: "tokens in",
    CALLS: "calls",
    RETRIES: "retries",
}
STREAMED = tuple(name for name in HEADS if name.startswith(("rate", "request", "gap", "time.first", "output")))
KEPT = {
    "time.per.token": 8,
    "time.per.frame": 8,
    "time.per.megapixel": 8,
    "gap.p99": 2,
    "output.tokens": 2,
    "requests.failed": 3,
    "request.time": 3,
    TIME: 9,
    "step.time": 6,
    "rate.tokens": 6,
    "rate.tokens.sum": 6,
    "rate.words": 6,
    "rate.pieces": 6,
    "rate.input": 4,
    "time.first": 5,
    "time.load": 3,
    PEAK_MEMORY: 7,
    MODEL_MEMORY: 7,
    "memory.device": 7,
    "energy": 4,
    COST_PER_THOUSAND: 5,
    COST_PER_GOOD: 4,
    COST_PER_TOKEN: 3,
    COST_PER_CALL: 3,
    READ_TOKENS: 2,
    CALLS: 2,
    RETRIES: 2,
}


def head_of(name: str) -> str:
    """Return how a measure is called at the head of its column."""
    for beginning, words in ((PHASE_STEP_TIME, "a {} step"), (PHASE_STEPS, "{} steps"), (PHASE_TIME, "{}")):
        if name.startswith(beginning):
            return words.format(clean(name.removeprefix(beginning)))
    return HEADS.get(name, clean(name))
