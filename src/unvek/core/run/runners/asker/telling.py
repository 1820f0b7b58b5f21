"""What is heard of answers, laid down for the engine as events."""

import json
from json.encoder import encode_basestring_ascii as quoted
from time import monotonic_ns
from typing import Any

from unvek.core.plan.runners import CHARACTERS, TOKENS
from unvek.core.run.runners.words import WordCount
from unvek.probe.probe import EventRing

LONGEST_TEXT = 5_000  # characters in one event: written out in ASCII, each may take twelve bytes of a line's 64 KiB


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


class RequestEar:
    """Tells of one request's answer: `stream` is its number; count says what its pieces are counted in."""

    def __init__(self, teller: Teller, stream: int, count: str):
        self._teller, self._stream, self._count = teller, stream, count
        self._words = WordCount()

    def text(self, at_ns: int, piece: str) -> None:
        for start in range(0, len(piece), LONGEST_TEXT):
            part = piece[start : start + LONGEST_TEXT]
            if self._count == TOKENS:
                self._teller.token(at_ns, 1, part, self._stream)
            else:
                n = len(part) if self._count == CHARACTERS else self._words.of_piece(part)
                self._teller.tell("token", at_ns, n=n, text=part, stream=self._stream, unit=self._count)

    def tokens(self, at_ns: int, which: str, count: int) -> None:
        self._teller.tell("tokens", at_ns, **{"stream": self._stream, which: count})

    def fault(self, kind: str, note: str) -> None:
        self._teller.tell("fault", kind=kind, note=note)
