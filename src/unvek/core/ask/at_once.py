"""Answers that do not come in pieces: at once, or as a job that is looked at until it is done; with files, perhaps."""

import asyncio
from collections.abc import AsyncIterator, Mapping
from time import monotonic_ns
from typing import Any
from urllib.parse import quote, urljoin

import httpx

from unvek.core.ask.answer import AnswerError, Ear, Reading, WholeAnswer
from unvek.core.ask.fetched import Fetched, ending_of, file_in, is_of_server
from unvek.core.ask.pointers import at, parts_of
from unvek.core.ask.question import Question
from unvek.core.ask.sending import RefusedError, answer_of
from unvek.core.plan.placeholders import JOB_NAME, filled
from unvek.core.plan.runners import JobAsked

SOONEST_LOOK_S = 0.02
LOOK_AFTER_SHARE = 0.01  # of the time that a job has taken it is looked at again
MOST_FILES = 100
MOST_STEPS_AT_ONCE = 10_000
LONGEST_NAME = 500
JOB_PHASE, FETCH_PHASE = "job", "fetch"


async def take_whole(client: httpx.AsyncClient, question: Question, ear: Ear) -> int:
    """Send a question that is answered at once; return the status code."""
    code, answer = await answer_of(client, question.request(), WholeAnswer)
    await _take_content(client, question, ear, answer.content(), question.filling, question.asked_url)
    return code


async def do_job(client: httpx.AsyncClient, question: Question, ear: Ear) -> int:
    """Send a question that is taken as a job, look at it until it is done, and fetch what came of it."""
    job = question.job
    assert job is not None, "such an answer has a job"
    code, answer = await answer_of(client, question.request(), WholeAnswer)
    began_ns = monotonic_ns()
    ear.phase(began_ns, JOB_PHASE)
    names = {**question.filling, **_job_named(job, content := answer.content())}
    url = _look_url(question, job, content, names)
    steps = 0
    async for content, at_ns in _looks(client, question, url):
        steps = _tell_steps(job, ear, content, steps, at_ns)
        if _is_done(question, job, content, names):
            ear.phase(at_ns, FETCH_PHASE)
            await _take_content(client, question, ear, content, names, url)
            return code
        taken_s = (at_ns - began_ns) / 1e9
        await asyncio.sleep(job.every_s or max(SOONEST_LOOK_S, LOOK_AFTER_SHARE * taken_s))
    raise AssertionError("a job is looked at until it is done")


async def _looks(client: httpx.AsyncClient, question: Question, url: str) -> AsyncIterator[tuple[Any, int]]:
    """Yield how the job stands, again and again."""
    while True:
        try:
            _, answer = await answer_of(client, question.request_to(url), WholeAnswer)
        except RefusedError as refused:
            raise AnswerError(f"looking at the job: {refused}") from refused  # what was asked for is not asked again
        yield answer.content(), monotonic_ns()


def _job_named(job: JobAsked, content: Any) -> Mapping[str, str]:
    if job.name is None:
        return {}
    name = at(content, parts_of(job.name))
    if not isinstance(name, str | int) or isinstance(name, bool) or not 0 < len(str(name)) <= LONGEST_NAME:
        raise AnswerError(f"the server took the job, but no name of it stood at {job.name}")
    return {JOB_NAME: quote(str(name), safe="")}


def _look_url(question: Question, job: JobAsked, content: Any, names: Mapping[str, Any]) -> str:
    if not job.look.startswith("/"):
        return filled(job.look, names)
    found = at(content, parts_of(job.look))
    if not isinstance(found, str) or not found:
        raise AnswerError(f"the server took the job, but no URL to look at stood at {job.look}")
    return _of_server(question, urljoin(question.asked_url, found))


def _of_server(question: Question, url: str) -> str:
    """Return a URL that a server gave; AnswerError where it leads to another one: it can't send us anywhere."""
    if not is_of_server(url, question.asked_url):
        raise AnswerError(f"the server sends us to another one, which is not asked: {url[:200]}")
    return url


def _tell_steps(job: JobAsked, ear: Ear, content: Any, before: int, at_ns: int) -> int:
    """Tell of the steps that the job has done since it was looked at last; return how many it has done."""
    done = at(content, parts_of(job.step)) if job.step is not None else None
    if type(done) is not int or not before < done <= before + MOST_STEPS_AT_ONCE:
        return before
    of = at(content, parts_of(job.of)) if job.of is not None else None
    for _ in range(done - before):
        ear.step(at_ns, of if type(of) is int and of >= done else None)
    return done


def _is_done(question: Question, job: JobAsked, content: Any, names: Mapping[str, Any]) -> bool:
    """Whether the job is done; AnswerError where it has failed."""
    if job.state is None:
        pointers = [*question.texts.values(), *(where for where in question.fetch if where.startswith("/"))]
        return any(at(content, parts_of(filled(where, names))) for where in pointers) or not pointers
    state = at(content, parts_of(job.state))
    word = str(state).lower() if isinstance(state, bool) else str(state)
    if word in job.failed:
        error = content.get("error") if isinstance(content, dict) else None
        raise AnswerError(f"the job failed: {word}" + (f", {str(error)[:300]}" if error else ""))
    return word in job.done


async def _take_content(
    client: httpx.AsyncClient, question: Question, ear: Ear, content: Any, names: Mapping[str, Any], base: str
) -> None:
    """Tell the texts and counts of a whole answer, and fetch the files; AnswerError where there is neither."""
    reading = Reading(question, ear, comes_in_pieces=False)
    reading.take(content, monotonic_ns())
    count = 0
    async for data, ending in _files(client, question, content, names, base):
        count += 1
        ear.file(monotonic_ns(), ending, data)
    if not reading.has_text and not count:
        raise AnswerError(f"the server answered, but nothing stood at {question.looked_at}")


async def _files(
    client: httpx.AsyncClient, question: Question, content: Any, names: Mapping[str, Any], base: str
) -> AsyncIterator[Fetched]:
    """Yield each file with the ending of its name: from the answer itself, or from a URL of the same server."""
    count = 0
    for where in question.fetch:
        place = filled(where, names)
        found = at(content, parts_of(place)) if where.startswith("/") else place
        for one in found if isinstance(found, list) else [found]:
            if not isinstance(one, str) or not one:
                continue
            count += 1
            if count > MOST_FILES:
                raise AnswerError(f"more than {MOST_FILES} files in one answer")
            inside = file_in(one)
            if inside is not None:
                yield inside
                continue
            url = _of_server(question, urljoin(base, one)) if where.startswith("/") else one
            _, answer = await answer_of(client, question.request_to(url), WholeAnswer)
            yield Fetched(bytes(answer.data), ending_of(bytes(answer.data[:16]), url))
