"""One answer as it comes: its messages read, and told to the engine with the stamp of their coming."""

import json
from collections.abc import Sequence
from json.encoder import encode_basestring_ascii as quoted
from time import monotonic_ns
from typing import Any

from jsonpointer import JsonPointer

from unvek.core.plan.runners import CHARACTERS, EVENT_STREAM, TOKENS
from unvek.core.run.runners.asker.body import Body
from unvek.core.run.runners.asker.framing import EventStream, MessageLines
from unvek.core.run.runners.asker.wish import Wish
from unvek.core.run.runners.words import WordCount
from unvek.probe.probe import EventRing

LONGEST_TEXT = 5_000  # characters in one event: written out in ASCII, each may take twelve bytes of a line's 64 KiB
LONGEST_NOTE = 300
MOST_TOKENS = 2**40
decoded = json.JSONDecoder().decode


class AnswerError(Exception):
    """The answer is none; the text says why."""


def at(content: Any, parts: Sequence[str]) -> Any:
    """Return what stands where the parts of a JSON Pointer lead (RFC 6901, section 4); None where nothing does.

    The library's own walk takes ten times as long, which matters where thousands of messages come in a second.
    """
    for part in parts:
        if type(content) is dict:
            content = content.get(part)
        elif type(content) is list and part.isdecimal() and len(part) < 10 and int(part) < len(content):
            content = content[int(part)]
        else:
            return None
    return content


class Teller:
    """Lays events down for the engine; one for all answers of a run."""

    def __init__(self, ring: EventRing):
        self._ring = ring

    def tell(self, event: str, at_ns: int | None = None, /, **fields: Any) -> None:
        at_ns = monotonic_ns() if at_ns is None else at_ns
        self._ring.put((json.dumps({"event": event, "at_ns": at_ns, **fields}) + "\n").encode())

    def wake(self) -> None:
        """Have the engine hear at once what has been told."""
        self._ring.wake()

    def token(self, at_ns: int, count: int, text: str, stream: int) -> None:
        """A token, in the form that the engine reads quickest."""
        self._ring.put(
            b'{"event":"token","at_ns":%d,"n":%d,"text":%s,"stream":%d}\n'
            % (at_ns, count, quoted(text).encode("ascii"), stream)
        )


class Answer:
    """Takes the body of one answer. `is_over` once it is whole; AnswerError where it is none."""

    def __init__(self, wish: Wish, body: Body, stream: int, teller: Teller):
        self._wish = wish
        self._body = body
        self._stream = stream
        self._teller = teller
        self._framing = EventStream() if wish.framing == EVENT_STREAM else MessageLines()
        self._text = JsonPointer(wish.text).parts
        self._told = [
            (name, JsonPointer(pointer).parts)
            for name, pointer in (("read", wish.tokens_in), ("written", wish.tokens_out))
            if pointer is not None
        ]
        self._words = WordCount()
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
        for name, parts in self._told:
            count = at(content, parts)
            if type(count) is int and 0 <= count < MOST_TOKENS:
                self._teller.tell("tokens", at_ns, **{"stream": self._stream, name: count})
        text = at(content, self._text)
        if isinstance(text, str) and text:
            self._tell_text(text, at_ns)
        elif isinstance(content, dict) and content.get("error"):
            raise AnswerError(f"the server told of an error: {_short(content['error'])}")
        if "\ufffd" in message:
            self._fault("encoding", "bytes that are not UTF-8")

    def _tell_text(self, text: str, at_ns: int) -> None:
        self.has_text = True
        if self._wish.secrets:
            text = self._wish.secrets.hide_text(text)
        for start in range(0, len(text), LONGEST_TEXT):
            piece = text[start : start + LONGEST_TEXT]
            if self._wish.count == TOKENS:
                self._teller.token(at_ns, 1, piece, self._stream)
            else:
                count = len(piece) if self._wish.count == CHARACTERS else self._words.of_piece(piece)
                self._teller.tell(
                    "token", at_ns, n=count, text=piece, stream=self._stream, unit=self._wish.count
                )  # fmt: skip

    def _fault(self, kind: str, note: str) -> None:
        if kind not in self._faults:  # once an answer: a hostile server could make millions
            self._faults.add(kind)
            self._teller.tell("fault", kind=kind, note=self._wish.secrets.hide_text(note))


def _short(content: Any) -> str:
    text = content if isinstance(content, str) else json.dumps(content)
    return text[:LONGEST_NOTE]
