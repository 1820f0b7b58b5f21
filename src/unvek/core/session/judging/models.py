"""A model asked over HTTP: the server started where the plan says how, one question at a time, within bounds."""

import asyncio
import os
import sys
import threading
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from time import monotonic, sleep
from typing import Any

import httpx

from unvek.core.ask.answer import CACHED, READ, AnswerError
from unvek.core.ask.asking import ask, asking_client
from unvek.core.ask.question import Question
from unvek.core.ask.secrets import Secrets
from unvek.core.errors import InputError
from unvek.core.plain_text import clean
from unvek.core.plan.placeholders import INTERPRETER, filled
from unvek.core.plan.reading.runners import PORT
from unvek.core.plan.runners import ANSWER, StreamRunner
from unvek.core.rig.process_tree import MARK
from unvek.core.run.processes.family import new_mark
from unvek.core.run.processes.guard import spawner as new_spawner
from unvek.core.run.processes.process import StartError, ToStart
from unvek.core.run.runners.stream_runner import free_port, texts_of

LONGEST_REPLY = 200_000  # characters, beyond which nobody reads on
READY_WITHIN_S, READY_EVERY_S = 60.0, 0.05
LONGEST_LAST, LAST_WORDS_WITHIN_S = 4000, 2.0  # bytes of what a server printed


@dataclass
class Heard:
    """What came of one question; `error` where no reply did."""

    reply: str = ""
    tokens_in: int = 0
    tokens_out: int = 0
    tries: int = 1
    error: str | None = None
    faults: list[str] = field(default_factory=list)

    # ---- as an ear of an answer ----

    def text(self, at_ns: int, piece: str, part: str) -> None:
        if part == ANSWER:
            self.reply += piece
            if len(self.reply) > LONGEST_REPLY:
                raise AnswerError(f"a reply of more than {LONGEST_REPLY} characters")

    def whole_text(self, at_ns: int, text: str, part: str) -> None:
        self.text(at_ns, text, part)

    def tokens(self, at_ns: int, which: str, count: int, part: str | None = None) -> None:
        if part is not None or which == CACHED:
            return
        if which == READ:
            self.tokens_in = count
        else:
            self.tokens_out = count

    def fault(self, kind: str, note: str) -> None:
        self.faults.append(kind)

    def phase(self, at_ns: int, name: str) -> None:
        """What a job is at says nothing of a verdict."""

    def step(self, at_ns: int, of: int | None) -> None:
        """Nor how far it is."""

    def file(self, at_ns: int, ending: str, data: bytes) -> None:
        """Nor do files."""


def ask_once(server: StreamRunner, values: Mapping[str, Any], secrets: Secrets, time_limit_s: float) -> Heard:
    """Ask a server; whatever goes wrong is heard as an error, within the time limit."""
    question = Question(
        url=server.url, method=server.method, headers=server.headers, body=server.body, framing=server.framing,
        texts=texts_of(server), tokens_in=server.tokens_in, tokens_out=server.tokens_out, retries=server.retries,
        secrets=secrets, values=values, cached=server.cached, tokens_of=server.tokens_of, job=server.job,
    )  # fmt: skip
    heard = Heard()

    async def send() -> None:
        async with asking_client() as client:
            asked = await ask(client, question, heard)
        heard.tries, heard.error = asked.tries, asked.error

    async def within_bounds() -> None:
        try:
            await asyncio.wait_for(send(), time_limit_s)
        except TimeoutError:
            heard.error = f"no whole reply within {time_limit_s:g} s"

    try:
        asyncio.run(within_bounds())
    except (ValueError, KeyError, TypeError, OSError, httpx.HTTPError, httpx.InvalidURL) as failure:
        heard.error = secrets.hide_text(f"the request can't be sent: {failure}")
    return heard


@contextmanager
def served(server: StreamRunner) -> Iterator[dict[str, Any]]:
    """Have the server there while it is asked: started and stopped where the plan says how; yield its port, if any.

    InputError where it can't be started, or does not get ready.
    """
    if not server.serve:
        yield {}
        return
    values: dict[str, Any] = {PORT: free_port(), INTERPRETER: sys.executable}
    command = [filled(word, values) for word in server.serve]
    spawner, mark = new_spawner(), new_mark()
    printed = _Printed()
    try:
        try:
            process = spawner.start(
                ToStart(
                    command=command, folder=server.folder, output=printed.end, error=printed.end,
                    environment={**os.environ, **server.environment, MARK: mark},
                )
            )  # fmt: skip
        except (StartError, OSError) as error:
            raise InputError(f"the judge's server can't be started: {command[0]}: {error}") from error
        try:
            is_ready = _is_ready(filled(server.ready or "", values), lambda: process.ended() is not None)
            if is_ready:
                yield values
        finally:
            process.end(0)
            spawner.end_family(mark)
        if not is_ready:
            raise InputError(f"the judge's server did not get ready{printed.last_words()}")
    finally:
        spawner.close()
        printed.close()


class _Printed:
    """Takes what a server prints, however much that is, and keeps the end of it."""

    def __init__(self) -> None:
        self._read, self.end = os.pipe()
        self._last = b""
        self._thread = threading.Thread(target=self._take, daemon=True)
        self._thread.start()

    def _take(self) -> None:
        while data := os.read(self._read, 65_536):
            self._last = (self._last + data)[-LONGEST_LAST:]

    def last_words(self) -> str:
        """Return the last line, in words; empty where nothing was printed. The server has ended."""
        self.close()
        lines = self._last.decode("utf-8", "replace").strip().splitlines()
        return f"; it printed last: {clean(lines[-1], 300)}" if lines else ""

    def close(self) -> None:
        if self.end >= 0:
            os.close(self.end)
            self.end = -1
            self._thread.join(LAST_WORDS_WITHIN_S)  # what the server left running may hold the other end
            if not self._thread.is_alive():
                os.close(self._read)


def _is_ready(url: str, has_ended: Callable[[], bool]) -> bool:
    """Ask until the server answers well; whether it did before it ended, and soon enough."""
    until_s = monotonic() + READY_WITHIN_S
    with httpx.Client(timeout=5.0, trust_env=False) as client:
        while monotonic() < until_s and not has_ended():
            try:
                if client.get(url).is_success:
                    return True
            except httpx.HTTPError:
                pass  # not yet
            sleep(READY_EVERY_S)
    return False
