"""A question sent, its answer read to the end, and sent again where that is allowed."""

import asyncio
from dataclasses import dataclass

import httpx

from unvek.core.ask.answer import Answer, AnswerError, Ear
from unvek.core.ask.at_once import do_job, take_whole
from unvek.core.ask.body import BodyError
from unvek.core.ask.connection import Transport
from unvek.core.ask.framing import FramingError
from unvek.core.ask.question import Question
from unvek.core.ask.sending import LONGEST_SHOWN, RefusedError, answer_of
from unvek.core.plan.runners import JOB, WHOLE

TO_TRY_AGAIN = (429, 500, 502, 503, 504)  # answers that may be others the next time
FIRST_PAUSE_S = 0.2


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """How it went: the status code as far as one came, how often it was sent, and what went wrong in the end."""

    code: int | None
    tries: int
    error: str | None


def asking_client() -> httpx.AsyncClient:
    """Return what questions are sent with. It takes nothing from the environment, and no answer is cut off by it."""
    return httpx.AsyncClient(transport=Transport(), timeout=None, trust_env=False)


async def ask(client: httpx.AsyncClient, question: Question, ear: Ear) -> Asked:
    """Send a question, again where that is allowed; what goes wrong is told to the ear, too."""
    code: int | None = None
    tries = 0
    while True:
        tries += 1
        pause_s: float | None = None
        try:
            code = await _try(client, question, ear)
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


async def _try(client: httpx.AsyncClient, question: Question, ear: Ear) -> int:
    """Send it once and read the answer to the end; return the status code."""
    if question.framing == JOB:
        return await do_job(client, question, ear)
    if question.framing == WHOLE:
        return await take_whole(client, question, ear)
    code, answer = await answer_of(client, question.request(), lambda body: Answer(question, body, ear))
    if not answer.has_text:
        raise AnswerError(f"the server answered, but nothing stood at {question.looked_at} in any message")
    return code
