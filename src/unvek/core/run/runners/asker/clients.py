"""A run of requests: sent by clients one after the other, or at set times whatever the server does."""

import asyncio
from collections.abc import Mapping
from time import monotonic_ns
from typing import Any

import httpx

from unvek.core.run.runners.asker.answer import Answer, AnswerError, Teller
from unvek.core.run.runners.asker.body import Body, BodyError
from unvek.core.run.runners.asker.connection import ARRIVALS, Arrivals, Transport
from unvek.core.run.runners.asker.framing import FramingError
from unvek.core.run.runners.asker.wish import LONGEST_SHOWN, Wish
from unvek.core.run.streams import NS

TO_TRY_AGAIN = (429, 500, 502, 503, 504)  # answers that may be others the next time
LONGEST_PAUSE_S, FIRST_PAUSE_S = 60.0, 0.2
REFUSAL_BYTES, REFUSAL_WAIT_S = 2048, 2.0  # how much of a refusal is read, and for how long


class RefusedError(Exception):
    """The server answered with another status than 2xx."""

    def __init__(self, code: int, text: str, pause_s: float | None):
        super().__init__(text)
        self.code, self.pause_s = code, pause_s


async def make_run(wish: Wish, teller: Teller) -> tuple[str, str | None]:
    """Send all requests of a run; return its status, and what went wrong where all of them failed."""
    async with httpx.AsyncClient(transport=Transport(), timeout=None, trust_env=False) as client:
        began_ns = monotonic_ns()
        teller.tell("began", began_ns)
        if wish.arrivals_per_second is not None:
            errors = await _at_set_times(client, wish, teller, began_ns)
        else:
            errors = await _one_after_the_other(client, wish, teller, began_ns)
    failed = [error for error in errors if error is not None]
    return ("failed", failed[0]) if len(failed) == len(errors) else ("finished", None)


async def _one_after_the_other(
    client: httpx.AsyncClient, wish: Wish, teller: Teller, began_ns: int
) -> list[str | None]:
    """Each client sends its next request when its last is answered: a closed loop."""
    places = iter(range(1, wish.requests + 1))
    errors: list[str | None] = []

    async def go_on(number: int) -> None:
        due_ns = began_ns
        for place in places:
            errors.append(await _ask(client, wish, teller, place, number, due_ns))
            due_ns = monotonic_ns()

    await asyncio.gather(*(go_on(number) for number in range(wish.clients)))
    return errors


async def _at_set_times(client: httpx.AsyncClient, wish: Wish, teller: Teller, began_ns: int) -> list[str | None]:
    """Requests are due at even distances, and timed from then: an open loop."""
    assert wish.arrivals_per_second is not None, "set times need a rate"
    asking = []
    for place in range(1, wish.requests + 1):
        due_ns = began_ns + int((place - 1) / wish.arrivals_per_second / NS)
        while (left_ns := due_ns - monotonic_ns()) > 0:  # the loop's clock counts whole milliseconds
            await asyncio.sleep(left_ns * NS)
        asking.append(asyncio.create_task(_ask(client, wish, teller, place, place - 1, due_ns)))
    return list(await asyncio.gather(*asking))


async def _ask(
    client: httpx.AsyncClient, wish: Wish, teller: Teller, place: int, number: int, due_ns: int
) -> str | None:
    """Send one request, again where that is allowed, and tell how it went; return what went wrong."""
    teller.tell("sent", stream=place, client=number, due_ns=due_ns)
    code: int | None = None
    tries = 0
    while True:
        tries += 1
        pause_s: float | None = None
        try:
            code = await _try(client, wish, teller, place)
            error, kind = None, ""
        except RefusedError as refused:
            code, error, kind, pause_s = refused.code, str(refused), f"http-{refused.code}", refused.pause_s
            may_go_on = code in TO_TRY_AGAIN
        except httpx.RequestError as failure:
            error, kind, may_go_on = f"{wish.shown_url}: {failure}", "connection", True
        except (AnswerError, BodyError, FramingError) as failure:
            error, kind, may_go_on = str(failure), "answer", False
        if error is not None:
            error = wish.secrets.hide_text(error)
            teller.tell("fault", kind=kind, note=error[:LONGEST_SHOWN])
        if error is None or not may_go_on or tries > wish.retries:
            break
        await asyncio.sleep(FIRST_PAUSE_S * 2 ** min(tries - 1, 8) if pause_s is None else pause_s)
    known: Mapping[str, Any] = {"code": code} if code is not None else {}
    failed: Mapping[str, Any] = {"error": error[:LONGEST_SHOWN]} if error is not None else {}
    teller.tell("answered", stream=place, tries=tries, **known, **failed)
    return error


async def _try(client: httpx.AsyncClient, wish: Wish, teller: Teller, place: int) -> int:
    """Send one request and read its answer to the end; return the status code."""
    response = await client.send(wish.request(place), stream=True)
    arrivals: Arrivals = response.extensions["network_stream"].get_extra_info(ARRIVALS)
    try:
        body = Body(response.headers)
        if not response.is_success:
            raise await _refusal(response, arrivals, body)
        answer = Answer(wish, body, place, teller)
        await _read(arrivals, answer)
        if not answer.has_text:
            raise AnswerError(f"the server answered, but nothing stood at {wish.text} in any message")
        return response.status_code
    finally:
        arrivals.close()
        await response.aclose()


async def _read(arrivals: Arrivals, answer: Answer) -> None:
    """Have the answer take what comes until it is over."""
    over = asyncio.get_running_loop().create_future()

    def settle(error: Exception | None) -> None:
        if not over.done():
            over.set_result(None) if error is None else over.set_exception(error)

    def take(data: bytes, at_ns: int) -> None:
        try:
            answer.take(data, at_ns)
            if answer.is_over:
                answer.end(at_ns)
                settle(None)
        except (AnswerError, BodyError, FramingError) as error:
            settle(error)

    def closed() -> None:
        try:
            if not over.done():
                answer.end(monotonic_ns())
            settle(None)
        except AnswerError as error:
            settle(error)

    arrivals.take_body(take, closed)
    if answer.is_over:
        settle(None)
    await over


async def _refusal(response: httpx.Response, arrivals: Arrivals, body: Body) -> RefusedError:
    """Return the refusal, with the beginning of what the server says of it."""
    over = asyncio.get_running_loop().create_future()
    said = bytearray()

    def take(data: bytes, _: int) -> None:
        try:
            for piece in body.feed(data):
                said.extend(piece[:REFUSAL_BYTES])
        except BodyError:
            said.extend(b" ...")
        if (body.is_over or len(said) >= REFUSAL_BYTES) and not over.done():
            over.set_result(None)

    arrivals.take_body(take, lambda: None if over.done() else over.set_result(None))
    if not body.is_over:
        await asyncio.wait([over], timeout=REFUSAL_WAIT_S)
    text = " ".join(said[:REFUSAL_BYTES].decode("utf-8", "replace").split())[:LONGEST_SHOWN]
    words = f"the server answered {response.status_code} {response.reason_phrase}".rstrip()
    after = response.headers.get("retry-after", "")
    pause_s = min(float(after), LONGEST_PAUSE_S) if after.isdecimal() and len(after) < 10 else None
    return RefusedError(response.status_code, f"{words}: {text}" if text else words, pause_s)
