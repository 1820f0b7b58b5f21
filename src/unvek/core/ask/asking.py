"""A question sent, its answer read to the end, and sent again where that is allowed."""

import asyncio
from dataclasses import dataclass
from time import monotonic_ns

import httpx

from unvek.core.ask.answer import Answer, AnswerError, Ear
from unvek.core.ask.body import Body, BodyError
from unvek.core.ask.connection import ARRIVALS, Arrivals, Transport
from unvek.core.ask.framing import FramingError
from unvek.core.ask.question import Question

TO_TRY_AGAIN = (429, 500, 502, 503, 504)  # answers that may be others the next time
LONGEST_PAUSE_S, FIRST_PAUSE_S = 60.0, 0.2
REFUSAL_BYTES, REFUSAL_WAIT_S = 2048, 2.0  # how much of a refusal is read, and for how long
LONGEST_SHOWN = 600  # characters of what went wrong


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """How it went: the status code as far as one came, how often it was sent, and what went wrong in the end."""

    code: int | None
    tries: int
    error: str | None


class RefusedError(Exception):
    """The server answered with another status than 2xx."""

    def __init__(self, code: int, text: str, pause_s: float | None):
        super().__init__(text)
        self.code, self.pause_s = code, pause_s


def asking_client() -> httpx.AsyncClient:
    """Return what questions are sent with. It takes nothing from the environment, and no answer is cut off by it."""
    return httpx.AsyncClient(transport=Transport(), timeout=None, trust_env=False)


async def ask(client: httpx.AsyncClient, question: Question, seed: int, ear: Ear) -> Asked:
    """Send a question with this seed, again where that is allowed; what goes wrong is told to the ear, too."""
    code: int | None = None
    tries = 0
    while True:
        tries += 1
        pause_s: float | None = None
        try:
            code = await _try(client, question, seed, ear)
            return Asked(code=code, tries=tries, error=None)
        except RefusedError as refused:
            code, error, kind, pause_s = refused.code, str(refused), f"http-{refused.code}", refused.pause_s
            may_go_on = code in TO_TRY_AGAIN
        except httpx.RequestError as failure:
            error, kind, may_go_on = f"{question.shown_url}: {failure}", "connection", True
        except (AnswerError, BodyError, FramingError) as failure:
            error, kind, may_go_on = str(failure), "answer", False
        error = question.secrets.hide_text(error)[:LONGEST_SHOWN]
        ear.fault(kind, error)
        if not may_go_on or tries > question.retries:
            return Asked(code=code, tries=tries, error=error)
        await asyncio.sleep(FIRST_PAUSE_S * 2 ** min(tries - 1, 8) if pause_s is None else pause_s)


async def _try(client: httpx.AsyncClient, question: Question, seed: int, ear: Ear) -> int:
    """Send it once and read the answer to the end; return the status code."""
    response = await client.send(question.request(seed), stream=True)
    arrivals: Arrivals = response.extensions["network_stream"].get_extra_info(ARRIVALS)
    try:
        body = Body(response.headers)
        if not response.is_success:
            raise await _refusal(response, arrivals, body)
        answer = Answer(question, body, ear)
        await _read(arrivals, answer)
        if not answer.has_text:
            raise AnswerError(f"the server answered, but nothing stood at {question.text} in any message")
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
