"""A request sent once, and its answer read to the end."""

import asyncio
from collections.abc import Callable
from time import monotonic_ns
from typing import Protocol, TypeVar

import httpx

from unvek.core.ask.answer import AnswerError
from unvek.core.ask.body import Body, BodyError
from unvek.core.ask.connection import ARRIVALS, Arrivals
from unvek.core.ask.framing import FramingError

LONGEST_PAUSE_S = 60.0
REFUSAL_BYTES, REFUSAL_WAIT_S = 2048, 2.0  # how much of a refusal is read, and for how long
LONGEST_SHOWN = 600  # characters of what went wrong


class Taking(Protocol):
    """What takes the body of an answer."""

    @property
    def is_over(self) -> bool: ...

    def take(self, data: bytes, at_ns: int) -> None: ...

    def end(self, at_ns: int) -> None: ...


Takes = TypeVar("Takes", bound=Taking)


class RefusedError(Exception):
    """The server answered with another status than 2xx."""

    def __init__(self, code: int, text: str, pause_s: float | None):
        super().__init__(text)
        self.code, self.pause_s = code, pause_s


async def answer_of(
    client: httpx.AsyncClient, request: httpx.Request, taking: Callable[[Body], Takes]
) -> tuple[int, Takes]:
    """Send a request and have the body of its answer taken to the end; return the status code with it.

    Raises RefusedError for another status than 2xx, httpx.RequestError where there is no connection, and AnswerError,
    BodyError or FramingError for an answer that is none.
    """
    response = await client.send(request, stream=True)
    arrivals: Arrivals = response.extensions["network_stream"].get_extra_info(ARRIVALS)
    try:
        body = Body(response.headers)
        if not response.is_success:
            raise await _refusal(response, arrivals, body)
        answer = taking(body)
        await _read(arrivals, answer)
        return response.status_code, answer
    finally:
        arrivals.close()
        await response.aclose()


async def _read(arrivals: Arrivals, answer: Taking) -> None:
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
