"""The body of an HTTP/1.1 answer, as it comes (RFC 9112, sections 6 and 7): in chunks, of a length, or to the end."""

from collections.abc import Iterable, Iterator, Mapping

LONGEST_CHUNK_LINE = 4096
LARGEST_CHUNK_DIGITS = 15
SHORT_CHUNK_LINE = 12  # bytes of a chunk's first line that has a length and nothing else
HEX_DIGITS = b"0123456789abcdefABCDEF"


class BodyError(Exception):
    """The body is not as its headers say; the text says why."""


class Body:
    """Takes the transfer's own bytes out. `is_over` once the body is whole."""

    def __init__(self, headers: Mapping[str, str]):
        """Raises BodyError for what can't be read."""
        packed = headers.get("content-encoding", "identity").strip().lower()
        if packed not in ("", "identity"):
            raise BodyError(f"the answer is packed as {packed[:40]}, though it was asked for as it is")
        transfer = headers.get("transfer-encoding", "").strip().lower()
        if transfer not in ("", "chunked"):
            raise BodyError(f"the answer comes in a transfer coding that is not known: {transfer[:40]}")
        length = headers.get("content-length", "")
        self._chunked = bool(transfer)
        self._left = int(length) if length.isdecimal() and len(length) <= LARGEST_CHUNK_DIGITS else None
        self.ends_with_connection = not self._chunked and self._left is None
        self.is_over = not self._chunked and self._left == 0
        self._line = b""
        self._state = self._size if self._chunked else self._plain

    def feed(self, data: bytes) -> Iterable[bytes]:
        """Return the body's own bytes among data."""
        if self._chunked and self._state == self._size and not self._line:
            # Most servers send each message as one chunk: it is taken at once, in a third of the time.
            end = data.find(b"\r\n", 0, SHORT_CHUNK_LINE)
            if end > 0 and not data[:end].strip(HEX_DIGITS):
                size = int(data[:end], 16)
                if size and len(data) == end + 4 + size and data.endswith(b"\r\n"):
                    return (data[end + 2 : -2],)
        return self._pieces(data)

    def _pieces(self, data: bytes) -> Iterator[bytes]:
        while data and not self.is_over:
            piece, data = self._state(data)
            if piece:
                yield piece

    def _plain(self, data: bytes) -> tuple[bytes, bytes]:
        if self._left is None:
            return data, b""
        piece = data[: self._left]
        self._left -= len(piece)
        self.is_over = self._left == 0
        return piece, b""

    def _size(self, data: bytes) -> tuple[bytes, bytes]:
        """The line that says how long a chunk is; what stands behind a semicolon is ignored."""
        line, rest = self._whole_line(data)
        if line is None:
            return b"", b""
        digits = line.partition(b";")[0].strip()
        if not digits or len(digits) > LARGEST_CHUNK_DIGITS or digits.strip(HEX_DIGITS):
            raise BodyError("a chunk whose length is no number")
        self._left = int(digits, 16)
        self._state = self._chunk if self._left else self._trailer
        return b"", rest

    def _chunk(self, data: bytes) -> tuple[bytes, bytes]:
        assert self._left is not None, "a chunk has a length"
        piece, rest = data[: self._left], data[self._left :]
        self._left -= len(piece)
        if not self._left:
            self._state = self._chunk_end
        return piece, rest

    def _chunk_end(self, data: bytes) -> tuple[bytes, bytes]:
        line, rest = self._whole_line(data)
        if line is None:
            return b"", b""
        if line:
            raise BodyError("a chunk that is longer than it says")
        self._state = self._size
        return b"", rest

    def _trailer(self, data: bytes) -> tuple[bytes, bytes]:
        line, rest = self._whole_line(data)
        if line == b"":
            self.is_over = True
        return b"", rest

    def _whole_line(self, data: bytes) -> tuple[bytes | None, bytes]:
        line, end, rest = data.partition(b"\n")
        self._line += line
        if len(self._line) > LONGEST_CHUNK_LINE:
            raise BodyError("a chunk's first line without an end")
        if not end:
            return None, b""
        line, self._line = self._line, b""
        return line.removesuffix(b"\r"), rest
