"""How measures are called at the head of a column, and how long each column stays as a window narrows."""

from unvek.core.measures.catalogue import TIME

HEADS = {
    TIME: "time",
    "step.time": "a step",
    "time.load": "load",
    "memory.peak": "memory",
    "memory.device": "on device",
    "rate.tokens": "tokens",
    "rate.words": "words",
    "rate.characters": "characters",
    "time.first": "first token",
    "rate.input": "prompt tokens",
    "gap.median": "a token",
    "gap.p99": "99 % gap",
    "output.tokens": "tokens out",
    "rate.tokens.sum": "all tokens",
    "rate.words.sum": "all words",
    "rate.characters.sum": "all characters",
    "request.time": "a request",
    "requests.failed": "refused",
    "time.per.token": "a token",
    "time.per.frame": "a frame",
    "time.per.megapixel": "a megapixel",
    "time.fixed": "beside steps",
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
    "time.first": 5,
    "time.load": 3,
    "memory.peak": 7,
    "memory.device": 7,
    "energy": 4,
}
