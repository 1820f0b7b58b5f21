"""What a judge says, read: one JSON object, wherever in its reply that stands; or what a pattern finds.

A reply that can't be read, refuses, or answers something else is no answer, and never taken for one.
"""

import json
import re
from collections.abc import Iterator, Sequence
from typing import Any

from unvek.core.ask.pointers import at, parts_of
from unvek.core.logbook.verdict_rows import MOST_MARK, PAIRS, POINTS, is_answer
from unvek.core.plain_text import clean
from unvek.core.plan.judges import Judge

LONGEST_REPLY = 100_000
LONGEST_WHY = 1000
MOST_TRIED = 50  # beginnings of objects in a reply
LONGEST_QUOTED = 160


class UnreadableError(Exception):
    """Why a reply is no answer."""


def read_reply(judge: Judge, reply: str, things: Sequence[str]) -> tuple[Any, str]:
    """Return the answer in a reply and why; UnreadableError where there is none."""
    reply = reply[:LONGEST_REPLY]
    if judge.pattern is not None:
        found = re.search(judge.pattern, reply)
        if found is None:
            raise UnreadableError(f"the pattern finds no answer in {_quoted(reply)}")
        groups = found.groupdict()
        said: Any = groups["answer"]
        if judge.asks not in (PAIRS, POINTS) and isinstance(said, str) and said.strip().isdecimal():
            said = int(said.strip()[:4])
        return checked(judge.asks, said, things, reply), str(groups.get("why") or "")[:LONGEST_WHY]
    for content in _objects(reply):
        said = at(content, parts_of(judge.answer))
        if said is not None:
            why = at(content, parts_of(judge.why))
            return checked(judge.asks, said, things, reply), why[:LONGEST_WHY] if isinstance(why, str) else ""
    raise UnreadableError(f"no JSON object with {judge.answer} in {_quoted(reply)}")


def checked(asks: str, said: Any, things: Sequence[str], reply: str) -> Any:
    """Return an answer as it is kept; UnreadableError where it is to something else."""
    answer: Any = said
    if isinstance(said, str):
        answer = said.strip().lower()
    elif isinstance(said, float) and 0 <= said <= MOST_MARK:
        answer = round(said)
    elif isinstance(said, dict):
        answer = {str(thing): str(word).strip().lower() for thing, word in said.items()}
    if is_answer(asks, answer, things) and answer != {}:
        return answer
    raise UnreadableError(f"it answers something else: {_quoted(reply)}")


def _objects(reply: str) -> Iterator[Any]:
    """Yield the JSON objects in a reply, the whole of it first."""
    decoder = json.JSONDecoder()
    starts = [place.start() for place in re.finditer(r"\{", reply)][:MOST_TRIED]
    for start in starts:
        try:
            yield decoder.raw_decode(reply, start)[0]
        except (ValueError, RecursionError):
            continue


def _quoted(reply: str) -> str:
    return repr(clean(" ".join(reply.split()), LONGEST_QUOTED)) if reply.strip() else "an empty reply"
