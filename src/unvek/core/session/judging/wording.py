"""A question put into words for a model: the outputs stand fenced, since they are data and may say anything.

A fence is drawn anew for each question, so that no output can hold its end. What an output says that seems to speak to
the judge is pointed out beside the verdict.
"""

import re
import secrets
from collections.abc import Mapping, Sequence
from typing import Any

from unvek.core.judging.outputs import TEXT, Content
from unvek.core.logbook.verdict_rows import MARKS, PAIRS
from unvek.core.plan.judges import (
    ASKED_FOR,
    EXPECT,
    LEFT_OUTPUT,
    OUTPUT,
    PROMPT,
    QUESTION,
    RIGHT_OUTPUT,
    SEED,
    Judge,
)
from unvek.core.plan.placeholders import filled

LONGEST_TEXT = 60_000  # characters of an output that are shown to a judge
SPEAKS_TO_JUDGE = "speaks-to-the-judge"
# What an output says that is meant for whoever judges it: it asks for a mark, names the scale, or gives orders.
_SPEAKING = re.compile(
    r"\b(?:judge|verdict|grader|evaluator|rater|instructions?)\b.{0,60}\b(?:left|right|mark|score|best|better|prefer|ignore|choose)\b"
    r"|\b(?:ignore|disregard|forget)\b.{0,40}\b(?:instructions?|above|previous|before|other)\b"
    r"|\b(?:give|award|assign|deserves?|rate|score|mark)\b.{0,40}\b(?:100|full marks?|top marks?|highest|best)\b"
    r"|\"answer\"\s*:"
    r"|\b(?:choose|pick|prefer|answer|say)\b.{0,20}\b(?:left|right|this one|me)\b",
    re.IGNORECASE | re.DOTALL,
)


def put(
    judge: Judge, asked_for: str, seed: int, outputs: Sequence[Content], things: Sequence[str]
) -> Mapping[str, Any]:
    """Return a question in words: what the placeholders of a server's body stand for."""
    fence = secrets.token_hex(6)
    sides = (LEFT_OUTPUT, RIGHT_OUTPUT) if judge.asks == PAIRS else (OUTPUT,)
    named = dict(zip(sides, outputs, strict=True))
    words = {
        ASKED_FOR: asked_for,
        EXPECT: "; ".join(things),
        **{side: _fenced(content, side, fence) for side, content in named.items()},
    }
    question = filled(judge.instructions, words)
    whole = {
        side: content.text[:LONGEST_TEXT] if content.sort == TEXT else content.uris[0]
        for side, content in named.items()
    }
    return {QUESTION: question, PROMPT: question, ASKED_FOR: asked_for, SEED: seed, **whole}


def _fenced(content: Content, side: str, fence: str) -> str:
    if content.sort != TEXT:
        return f"(the {side} {content.sort})"
    return f"<<<{side} {fence}\n{content.text[:LONGEST_TEXT]}\n{fence} {side}>>>"


def doubts_of(asks: str, answer: Any, outputs: Sequence[Content]) -> tuple[str, ...]:
    """Return what may have talked the judge into a verdict: the output that it favours speaks to the judge."""
    favoured = outputs
    if asks == PAIRS:
        favoured = [outputs[{"left": 0, "right": 1}[answer]]] if answer in ("left", "right") else []
    elif asks == MARKS and isinstance(answer, int) and answer < 50:
        favoured = []
    return (SPEAKS_TO_JUDGE,) if any(_SPEAKING.search(one.text[:LONGEST_TEXT]) for one in favoured) else ()
