"""Bytes of a streamed answer -> messages: the WHATWG event stream, or one message a line."""

from collections.abc import Iterator

LONGEST_MESSAGE_BYTES = 2**20


class FramingError(Exception):
    """What the server sent can't be cut into messages; the text says why."""


class Lines:
    """Cuts bytes into lines that end in LF, CRLF or, where asked, CR alone; a line that is too long is refused."""

    def __init__(self, at_carriage_return: bool):
        self._at_carriage_return = at_carriage_return
        self._begun: list[bytes] = []  # pieces of the line that has no end yet: joined once, however small they are
        self._begun_bytes = 0
        self._after_return = False

    def feed(self, data: bytes) -> list[bytes]:
        if self._after_return and data:
            self._after_return = False
            data = data.removeprefix(b"\n")
        cut = data.rfind(b"\n") + 1
        if self._at_carriage_return and cut < len(data):
            cut = max(cut, data.rfind(b"\r") + 1)
        if not cut:
            self._keep(data)
            return []
        whole = data[:cut]
        if self._begun:
            whole = b"".join((*self._begun, whole))
            self._begun, self._begun_bytes = [], 0
        self._after_return = self._at_carriage_return and whole.endswith(b"\r")
        lines = whole.splitlines() if self._at_carriage_return else whole[:-1].split(b"\n")
        if len(whole) > LONGEST_MESSAGE_BYTES and max(map(len, lines)) > LONGEST_MESSAGE_BYTES:
            raise FramingError(f"a line of more than {LONGEST_MESSAGE_BYTES} bytes")
        if cut < len(data):
            self._keep(data[cut:])
        return lines

    def _keep(self, piece: bytes) -> None:
        if piece:
            self._begun.append(piece)
            self._begun_bytes += len(piece)
            if self._begun_bytes > LONGEST_MESSAGE_BYTES:
                raise FramingError(f"a line of more than {LONGEST_MESSAGE_BYTES} bytes")
            if len(self._begun) > 4096:
                self._begun = [b"".join(self._begun)]

    @property
    def rest(self) -> bytes:
        """The line that has no end."""
        return b"".join(self._begun)


class EventStream:
    """Server-sent events (WHATWG HTML, section 9.2.6, "Interpreting an event stream"); their data are the messages."""

    def __init__(self) -> None:
        self._lines = Lines(at_carriage_return=True)
        self._first = True
        self._data: list[bytes] = []
        self._data_bytes = 0

    def feed(self, data: bytes) -> Iterator[str]:
        """Yield the messages that data completes."""
        for line in self._lines.feed(data):
            if self._first:
                self._first = False
                line = line.removeprefix(b"\xef\xbb\xbf")
            if not line:
                if self._data:
                    message = b"\n".join(self._data)
                    self._data, self._data_bytes = [], 0
                    yield message.decode("utf-8", "replace")
            elif line.startswith(b"data"):
                self._take(line)

    def _take(self, line: bytes) -> None:
        name, _, value = line.partition(b":")
        if name != b"data":
            return  # "database:" is another field, and ignored as the standard has it
        value = value[1:] if value.startswith(b" ") else value
        self._data.append(value)
        self._data_bytes += len(value) + 1
        if self._data_bytes > LONGEST_MESSAGE_BYTES:
            raise FramingError(f"an event of more than {LONGEST_MESSAGE_BYTES} bytes")

    def end(self) -> Iterator[str]:
        """An event that no empty line has ended is none."""
        return iter(())

    @property
    def was_cut_off(self) -> bool:
        """Whether the stream ended within an event."""
        return bool(self._data or self._lines.rest)


class MessageLines:
    """One message a line; the last may lack its end."""

    was_cut_off = False  # what is left at the end is read as a message, and is none if it was cut

    def __init__(self) -> None:
        self._lines = Lines(at_carriage_return=False)

    def feed(self, data: bytes) -> Iterator[str]:
        for line in self._lines.feed(data):
            if line.strip():
                yield line.decode("utf-8", "replace")

    def end(self) -> Iterator[str]:
        """Yield what has no end of a line, where it is there."""
        rest = self._lines.rest
        if rest.strip():
            yield rest.decode("utf-8", "replace")
