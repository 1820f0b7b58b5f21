"""What comes over a connection, cut into messages whatever its pieces are."""

import unittest
from unittest.mock import patch

from unvek.core.ask.body import Body, BodyError
from unvek.core.ask.framing import EventStream, FramingError, MessageLines


class Pieces(unittest.TestCase):
    def test_messages_do_not_depend_on_how_the_bytes_are_cut(self):
        text = b"\xef\xbb\xbfdata: a\r\ndata: b\n\r\n: no\rdata:c\r\rdata: lost"
        whole = list(EventStream().feed(text))
        self.assertEqual(whole, ["a\nb", "c"])
        for size in range(1, 9):
            stream = EventStream()
            cut = [m for start in range(0, len(text), size) for m in stream.feed(text[start : start + size])]
            self.assertEqual((cut, stream.was_cut_off), (whole, True), size)
        lines = MessageLines()
        self.assertEqual([*lines.feed(b"1\r\n\n2"), *lines.feed(b"3\n4"), *lines.end()], ["1\r", "23", "4"])

    def test_a_line_without_end_is_refused_when_it_is_too_long_however_small_its_pieces(self):
        stream, taken = EventStream(), 0
        with patch("unvek.core.ask.framing.LONGEST_MESSAGE_BYTES", 300_000), self.assertRaises(FramingError):
            while True:
                list(stream.feed(b"x"))
                taken += 1
        self.assertEqual(taken, 300_000)

    def test_a_body_is_what_its_headers_say(self):
        def read(headers: dict[str, str], data: bytes, size: int) -> tuple[bytes, bool]:
            body = Body(headers)
            return b"".join(p for s in range(0, len(data), size) for p in body.feed(data[s : s + size])), body.is_over

        coded = b"4;x=y\r\nabcd\r\nA\r\n0123456789\r\n0\r\nX: y\r\n\r\nmore"
        for size in (1, 2, 5, 100):
            self.assertEqual(read({"transfer-encoding": "Chunked"}, coded, size), (b"abcd0123456789", True))
            self.assertEqual(read({"content-length": "3"}, b"abcdef", size), (b"abc", True))
            self.assertEqual(read({}, b"abc", size), (b"abc", False))
        for data in (b"-1\r\n", b"g\r\n", b"9" * 30 + b"\r\n", b"1\r\nab\r\n", b"x" * 5000):
            with self.assertRaises(BodyError):
                read({"transfer-encoding": "chunked"}, data, 1)
        for headers in ({"content-encoding": "br"}, {"transfer-encoding": "gzip, chunked"}):
            with self.assertRaises(BodyError):
                Body(headers)


if __name__ == "__main__":
    unittest.main()
