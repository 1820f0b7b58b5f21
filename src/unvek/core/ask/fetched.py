"""Files in an answer: written into it as text, or named by a URL."""

import binascii
from base64 import b64decode
from pathlib import PurePosixPath
from typing import NamedTuple
from urllib.parse import unquote_to_bytes, urlsplit

SIGNS = {
    b"\x89PNG": "png", b"\xff\xd8\xff": "jpg", b"GIF8": "gif", b"\x93NUMPY": "npy", b"PK\x03\x04": "npz",
    b"OggS": "ogg", b"fLaC": "flac", b"BM": "bmp", b"P6": "ppm", b"P5": "pgm",
}  # fmt: skip
SHORTEST_WRITTEN = 64  # characters of a file that is written in base 64
LONGEST_ENDING = 5


class Fetched(NamedTuple):
    """A file, and the ending that its name should have."""

    data: bytes
    ending: str


def file_in(text: str) -> Fetched | None:
    """Return the file that a text is: a data URI (RFC 2397), or base 64 of a known sort; None where it is none.

    A text such as "/9j/4AAQ..." is both a path and the beginning of a picture: what it decodes to tells.
    """
    if text.startswith("data:"):
        head, _, content = text.partition(",")
        try:
            data = b64decode(content) if head.endswith(";base64") else unquote_to_bytes(content)
        except (binascii.Error, ValueError):
            return None
        return Fetched(data, ending_of(data[:16], "." + head[5:].partition(";")[0].rpartition("/")[2]))
    if len(text) < SHORTEST_WRITTEN:
        return None
    try:
        data = b64decode(text, validate=True)
    except (binascii.Error, ValueError):
        return None
    ending = _by_signs(data[:16])
    return Fetched(data, ending) if ending is not None else None


def ending_of(beginning: bytes, url: str) -> str:
    """Return the ending for a file by how it begins, else by its URL."""
    suffix = PurePosixPath(urlsplit(url).path).suffix[1:].lower()
    named = suffix if suffix.isascii() and suffix.isalnum() and len(suffix) <= LONGEST_ENDING else "bin"
    return _by_signs(beginning) or named


def _by_signs(beginning: bytes) -> str | None:
    if beginning.startswith(b"RIFF"):
        return {b"WAVE": "wav", b"WEBP": "webp"}.get(beginning[8:12])
    return next((ending for sign, ending in SIGNS.items() if beginning.startswith(sign)), None)


def is_of_server(url: str, asked: str) -> bool:
    """Whether a URL leads to the server that was asked: the same scheme, host and port."""
    try:
        ours, theirs = urlsplit(asked), urlsplit(url)
        return (ours.scheme, ours.hostname, ours.port) == (theirs.scheme, theirs.hostname, theirs.port)
    except ValueError:
        return False
