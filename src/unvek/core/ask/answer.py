"""One answer as it comes: its messages read, and told to an ear with the stamp of their coming."""

import json
from collections.abc import Mapping
from typing import Any, Protocol

from unvek.core.ask.body import Body
from unvek.core.ask.framing import EventStream, MessageLines
from unvek.core.ask.pointers import at, parts_of
from unvek.core.ask.question import Question
from unvek.core.plan.runners import EVENT_STREAM, LINES

LONGEST_NOTE = 300
LARGEST_WHOLE_BYTES = 64 * 2**20  # of an answer that comes at once, with pictures in it perhaps
MOST_TOKENS = 2**40
READ, CACHED, WRITTEN = "read", "cached", "written"  # which tokens a server counts
FRAMINGS: Mapping[str, type[EventStream] | type[MessageLines]] = {EVENT_STREAM: EventStream, LINES: MessageLines}
decoded = json.JSONDecoder().decode


class Ear(Protocol):
    """Who hears an answer. No secret is in what it hears. `part` is the name of one text of several."""

    def text(self, at_ns: int, piece: str, part: str) -> None:
        """A piece of a text has come."""

    def whole_text(self, at_ns: int, text: str, part: str) -> None:
        """A text has come at once."""

    def tokens(self, at_ns: int, which: str, count: int, part: str | None = None) -> None:
        """The server has counted the tokens that it read, knew or wrote."""

    def fault(self, kind: str, note: str) -> None:
        """Something was not as it should be, and did not end the answer."""

    def phase(self, at_ns: int, name: str) -> None:
        """What a job is at from here on."""

    def step(self, at_ns: int, of: int | None) -> None:
        """A job has done a step."""

    def file(self, at_ns: int, ending: str, data: bytes) -> None:
        """A file has come."""


class AnswerError(Exception):
    """The answer is none; the text says why."""


class Reading:
    """Reads what a message holds: texts, counts, an error. comes_in_pieces: or each message is a whole answer."""

    def __init__(self, question: Question, ear: Ear, comes_in_pieces: bool):
        self._secrets = question.secrets
        self._ear = ear
        self._tell_text = ear.text if comes_in_pieces else ear.whole_text
        self._texts = [(part, parts_of(pointer)) for part, pointer in question.texts.items()]
        counted = ((READ, question.tokens_in), (CACHED, question.cached), (WRITTEN, question.tokens_out))
        self._counted: list[tuple[str, str | None, tuple[str, ...]]] = [
            *((which, None, parts_of(pointer)) for which, pointer in counted if pointer is not None),
            *((WRITTEN, part, parts_of(pointer)) for part, pointer in question.tokens_of.items()),
        ]
        self.has_text = False

    def take(self, content: Any, at_ns: int) -> None:
        """Tell what stands in it; AnswerError where the server says that it failed, and nothing else."""
        for which, part, parts in self._counted:
            count = at(content, parts)
            if type(count) is int and 0 <= count < MOST_TOKENS:
                self._ear.tokens(at_ns, which, count, part)
        found = False
        for part, parts in self._texts:
            text = at(content, parts)
            if isinstance(text, str) and text:
                found = self.has_text = True
                self._tell_text(at_ns, self._secrets.hide_text(text) if self._secrets else text, part)
        if not found and isinstance(content, dict) and content.get("error"):
            raise AnswerError(f"the server told of an error: {_short(content['error'])}")


class Answer:
    """Takes the body of one answer that comes in messages. `is_over` once it is whole; AnswerError where it is none."""

    def __init__(self, question: Question, body: Body, ear: Ear):
        self._secrets = question.secrets
        self._body = body
        self._ear = ear
        self._framing = FRAMINGS[question.framing]()
        self._reading = Reading(question, ear, comes_in_pieces=True)
        self._pending_marker: str | None = None
        self._faults: set[str] = set()

    @property
    def is_over(self) -> bool:
        return self._body.is_over

    @property
    def has_text(self) -> bool:
        return self._reading.has_text

    def take(self, data: bytes, at_ns: int) -> None:
        """Read what has come; FramingError and BodyError where it can't be."""
        for piece in self._body.feed(data):
            for message in self._framing.feed(piece):
                self._message(message, at_ns)

    def end(self, at_ns: int) -> None:
        """The connection is closed, or the body whole; AnswerError where that is too early."""
        for message in self._framing.end():
            self._message(message, at_ns)
        check_whole(self._body)
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
        self._reading.take(content, at_ns)
        if "\ufffd" in message:
            self._fault("encoding", "bytes that are not UTF-8")

    def _fault(self, kind: str, note: str) -> None:
        if kind not in self._faults:  # once an answer: a hostile server could make millions
            self._faults.add(kind)
            self._ear.fault(kind, self._secrets.hide_text(note))


class WholeAnswer:
    """Takes the body of one answer that comes at once, as bytes, within bounds."""

    def __init__(self, body: Body):
        self._body = body
        self.data = bytearray()

    @property
    def is_over(self) -> bool:
        return self._body.is_over

    def take(self, data: bytes, _: int) -> None:
        for piece in self._body.feed(data):
            self.data += piece
            if len(self.data) > LARGEST_WHOLE_BYTES:
                raise AnswerError(f"an answer of more than {LARGEST_WHOLE_BYTES} bytes")

    def end(self, _: int) -> None:
        check_whole(self._body)

    def content(self) -> Any:
        """Return what it holds; None where it is empty. AnswerError where it is no JSON."""
        text = self.data.decode("utf-8-sig", "replace").strip()
        try:
            return decoded(text) if text else None
        except (ValueError, RecursionError) as error:
            raise AnswerError(f"the answer isn't JSON: {text[:LONGEST_NOTE]!r}") from error


def check_whole(body: Body) -> None:
    """AnswerError where a connection was closed before the end of the body."""
    if not body.is_over and not body.ends_with_connection:
        raise AnswerError("the answer was cut off: the connection closed before its end")


def _short(content: Any) -> str:
    text = content if isinstance(content, str) else json.dumps(content)
    return text[:LONGEST_NOTE]
