"""What a program prints on its standard output, where that is its answer: pieces of text, counted in words."""

from collections.abc import Iterator

from unvek.core.plan.runners import WORDS
from unvek.core.run.events.event import Event, made_event
from unvek.core.run.runners.control_codes import without_codes
from unvek.core.run.runners.words import WordCount


class PrintedAnswer:
    """Takes the bytes as they come; a character that has not come whole waits for its rest."""

    def __init__(self) -> None:
        self._rest = b""
        self._words = WordCount()

    def feed(self, data: bytes, at_ns: int, final: bool = False) -> Iterator[Event]:
        data = self._rest + data
        end = len(data) if final else _end_of_characters(data)
        self._rest = data[end:]
        text = without_codes(data[:end].decode("utf-8", "replace")).replace("\r\n", "\n")
        if text:
            yield made_event("token", at_ns, n=self._words.of_piece(text), text=text, unit=WORDS)


def _end_of_characters(data: bytes) -> int:
    """Return where the last whole character of UTF-8 ends."""
    for back in range(1, min(4, len(data)) + 1):
        byte = data[-back]
        if byte & 0xC0 != 0x80:  # not a later byte of a character
            length = 1 if byte < 0x80 else 2 if byte < 0xE0 else 3 if byte < 0xF0 else 4
            return len(data) if length <= back else len(data) - back
    return len(data)
