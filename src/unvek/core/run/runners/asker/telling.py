"""What is heard of answers, laid down for the engine as events."""

import json
import os
from collections.abc import Iterator
from json.encoder import encode_basestring_ascii as quoted
from pathlib import Path
from time import monotonic_ns
from typing import Any

from unvek.core.plan.runners import ANSWER, CHARACTERS, TOKENS, WORDS
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
    """Tells of one request's answer: `stream` is its number; count says what its pieces are counted in.

    Files go into the folder `out`. One that is alone in its run tells of phases and steps, too: of several they would
    be mixed.
    """

    def __init__(self, teller: Teller, stream: int, count: str, out: Path, is_alone: bool):
        self._teller, self._stream, self._count, self._out, self._is_alone = teller, stream, count, out, is_alone
        self._words: dict[str, WordCount] = {}
        self._part = ANSWER
        self._files = 0

    def text(self, at_ns: int, piece: str, part: str) -> None:
        if part != self._part:
            self._begin(part, at_ns)
        for said in _cut(piece):
            if self._count == TOKENS and part == ANSWER:
                self._teller.token(at_ns, 1, said, self._stream)
            else:
                n = 1 if self._count == TOKENS else self._counted(said, part)
                unit = {} if self._count == TOKENS else {"unit": self._count}
                self._teller.tell("token", at_ns, n=n, text=said, stream=self._stream, **unit, **_named(part))

    def whole_text(self, at_ns: int, text: str, part: str) -> None:
        for said in _cut(text):  # tokens that nobody told of can't be counted in a text that is whole
            unit = self._count if self._count == CHARACTERS else WORDS
            n = self._counted(said, part)
            self._teller.tell("text", at_ns, text=said, n=n, unit=unit, stream=self._stream, **_named(part))

    def tokens(self, at_ns: int, which: str, count: int, part: str | None = None) -> None:
        named = {} if part is None else _named(part)
        self._teller.tell("tokens", at_ns, **{"stream": self._stream, which: count, **named})

    def fault(self, kind: str, note: str) -> None:
        self._teller.tell("fault", kind=kind, note=note)

    def phase(self, at_ns: int, name: str) -> None:
        if self._is_alone:
            self._teller.tell("phase", at_ns, name=name)

    def step(self, at_ns: int, of: int | None) -> None:
        if self._is_alone:
            self._teller.tell("step", at_ns, **({} if of is None else {"of": of}))

    def file(self, at_ns: int, ending: str, data: bytes) -> None:
        """Put it into the run's folder, where nothing lies yet."""
        self._files += 1
        name = f"{self._files}.{ending}" if self._is_alone else f"{self._stream}-{self._files}.{ending}"
        with open(os.open(self._out / name, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW, 0o600), "wb") as file:
            file.write(data)
        self._teller.tell("output", at_ns, name=name)

    def _begin(self, part: str, at_ns: int) -> None:
        """One text after the other is a phase after the other."""
        self._part = part
        self.phase(at_ns, part)

    def _counted(self, said: str, part: str) -> int:
        if self._count == CHARACTERS:
            return len(said)
        return self._words.setdefault(part, WordCount()).of_piece(said)


def _cut(text: str) -> Iterator[str]:
    return (text[start : start + LONGEST_TEXT] for start in range(0, len(text), LONGEST_TEXT))


def _named(part: str) -> dict[str, str]:
    return {} if part == ANSWER else {"part": part}
