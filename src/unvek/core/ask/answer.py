"""One answer as it comes: its messages read, and told to an ear with the stamp of their coming."""

import json
from typing import Any, Protocol

from unvek.core.ask.body import Body
from unvek.core.ask.framing import EventStream, MessageLines
from unvek.core.ask.pointers import at, parts_of
from unvek.core.ask.question import Question
from unvek.core.plan.runners import EVENT_STREAM

LONGEST_NOTE = 300
MOST_TOKENS = 2**40
READ, WRITTEN = "read", "written"  # which tokens a server counts
decoded = json.JSONDecoder().decode


class Ear(Protocol):
    """Who hears an answer. No secret is in what it hears."""

    def text(self, at_ns: int, piece: str) -> None:
        """A piece of the text has come."""

    def tokens(self, at_ns: int, which: str, count: int) -> None:
        """The server has counted the tokens that it read, or wrote."""

    def fault(self, kind: str, note: str) -> None:
        """Something was not as it should be, and did not end the answer."""


class AnswerError(Exception):
    """The answer is none; the text says why."""


class Answer:
    """Takes the body of one answer. `is_over` once it is whole; AnswerError where it is none."""

    def __init__(self, question: Question, body: Body, ear: Ear):
        self._secrets = question.secrets
        self._body = body
        self._ear = ear
        self._framing = EventStream() if question.framing == EVENT_STREAM else MessageLines()
        self._text = parts_of(question.text)
        self._counted = [
            (which, parts_of(pointer))
            for which, pointer in ((READ, question.tokens_in), (WRITTEN, question.tokens_out))
            if pointer is not None
        ]
        self._pending_marker: str | None = None
        self._faults: set[str] = set()
        self.has_text = False

    @property
    def is_over(self) -> bool:
        return self._body.is_over

    def take(self, data: bytes, at_ns: int) -> None:
        """Read what has come; FramingError and BodyError where it can't be."""
        for piece in self._body.feed(data):
            for message in self._framing.feed(piece):
                self._message(message, at_ns)

    def end(self, at_ns: int) -> None:
        """The connection is closed, or the body whole; AnswerError where that is too early."""
        for message in self._framing.end():
            self._message(message, at_ns)
        if not self._body.is_over and not self._body.ends_with_connection:
            raise AnswerError("the answer was cut off: the connection closed before its end")
        if self._framing.was_cut_off:
            raise AnswerError("the answer was cut off in the middle of an event")

    def _message(self, message: str, at_ns: int) -> None:
        if not message.strip():
            return  # some servers keep the connection open with these
        if self._pending_marker is not None:
            self._fault("not-json", self._pending_marker)
            self._pending_marker = None
        try:
            content = decoded(message)
        except (ValueError, RecursionError):
            self._pending_marker = message[:LONGEST_NOTE]  # a final marker, unless something comes after it
            return
        for which, parts in self._counted:
            count = at(content, parts)
            if type(count) is int and 0 <= count < MOST_TOKENS:
                self._ear.tokens(at_ns, which, count)
        text = at(content, self._text)
        if isinstance(text, str) and text:
            self.has_text = True
            self._ear.text(at_ns, self._secrets.hide_text(text) if self._secrets else text)
        elif isinstance(content, dict) and content.get("error"):
            raise AnswerError(f"the server told of an error: {_short(content['error'])}")
        if "\ufffd" in message:
            self._fault("encoding", "bytes that are not UTF-8")

    def _fault(self, kind: str, note: str) -> None:
        if kind not in self._faults:  # once an answer: a hostile server could make millions
            self._faults.add(kind)
            self._ear.fault(kind, self._secrets.hide_text(note))


def _short(content: Any) -> str:
    text = content if isinstance(content, str) else json.dumps(content)
    return text[:LONGEST_NOTE]
