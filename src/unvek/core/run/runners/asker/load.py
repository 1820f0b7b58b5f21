"""A run of requests: sent by clients one after the other, or at set times whatever the server does."""

import asyncio
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from time import monotonic_ns
from typing import Any

import httpx

from unvek.core.ask.asking import ask, asking_client
from unvek.core.ask.question import Question
from unvek.core.plan.runners import PIECES, TOKENS
from unvek.core.run.events.streams import NS
from unvek.core.run.runners.asker.telling import RequestEar, Teller


@dataclass(frozen=True, slots=True, kw_only=True)
class Load:
    """One run: what is asked, how its answers are counted, and how many requests are sent when.

    Each request asks with a seed of its own, counted on from the question's. each_is_token: whether a message is known
    to be one token, where tokens are counted. out is the folder for files.
    """

    question: Question
    count: str
    each_is_token: bool
    out: str
    clients: int
    arrivals_per_second: float | None
    requests: int


async def make_run(load: Load, teller: Teller) -> tuple[str, str | None]:
    """Send all requests of a run; return its status, and what went wrong where all of them failed."""
    async with asking_client() as client:
        began_ns = monotonic_ns()
        teller.tell("began", began_ns)
        if load.arrivals_per_second is not None:
            errors = await _at_set_times(client, load, teller, began_ns)
        else:
            errors = await _one_after_the_other(client, load, teller, began_ns)
    failed = [error for error in errors if error is not None]
    return ("failed", failed[0]) if len(failed) == len(errors) else ("finished", None)


async def _one_after_the_other(
    client: httpx.AsyncClient, load: Load, teller: Teller, began_ns: int
) -> list[str | None]:
    """Each client sends its next request when its last is answered: a closed loop."""
    places = iter(range(1, load.requests + 1))
    errors: list[str | None] = []

    async def go_on(number: int) -> None:
        due_ns = began_ns
        for place in places:
            errors.append(await _send(client, load, teller, place, number, due_ns))
            due_ns = monotonic_ns()

    await asyncio.gather(*(go_on(number) for number in range(load.clients)))
    return errors


async def _at_set_times(client: httpx.AsyncClient, load: Load, teller: Teller, began_ns: int) -> list[str | None]:
    """Requests are due at even distances, and timed from then: an open loop."""
    assert load.arrivals_per_second is not None, "set times need a rate"
    asking = []
    for place in range(1, load.requests + 1):
        due_ns = began_ns + int((place - 1) / load.arrivals_per_second / NS)
        while (left_ns := due_ns - monotonic_ns()) > 0:  # the loop's clock counts whole milliseconds
            await asyncio.sleep(left_ns * NS)
        asking.append(asyncio.create_task(_send(client, load, teller, place, place - 1, due_ns)))
    return list(await asyncio.gather(*asking))


async def _send(
    client: httpx.AsyncClient, load: Load, teller: Teller, place: int, number: int, due_ns: int
) -> str | None:
    """Send one request and tell how it went; return what went wrong."""
    question = load.question.of_request(load.question.values["seed"] + place - 1, place)
    body = question.body_shown() if place == 1 else None
    counted = {"unit": PIECES} if load.count == TOKENS and not load.each_is_token else {}
    teller.tell("sent", stream=place, client=number, due_ns=due_ns, **counted, **({"body": body} if body else {}))
    ear = RequestEar(teller, place, load.count, Path(load.out), is_alone=load.requests == 1)
    asked = await ask(client, question, ear)
    known: Mapping[str, Any] = {"code": asked.code} if asked.code is not None else {}
    failed: Mapping[str, Any] = {"error": asked.error} if asked.error is not None else {}
    teller.tell("answered", stream=place, tries=asked.tries, **known, **failed)
    return asked.error
