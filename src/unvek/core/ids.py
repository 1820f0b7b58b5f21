"""Names that two logbooks never give to two things: UUIDs of version 7 (RFC 9562, section 5.7), which sort by time."""

import os
import re
from time import time_ns
from uuid import UUID

RANDOM_BYTES = 10
_WRITTEN = re.compile("[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}")


def new_id() -> str:
    """Return an id for something that begins now."""
    return uuid7(time_ns() // 1_000_000, os.urandom(RANDOM_BYTES))


def is_id(text: str) -> bool:
    """Whether a text is a UUID as it is written here: 36 characters, in small letters."""
    return _WRITTEN.fullmatch(text) is not None


def uuid7(unix_ms: int, random: bytes) -> str:
    """Return the id of a moment (milliseconds since 1970) and RANDOM_BYTES of chance.

    48 bits of milliseconds, version, 12 random bits, variant, 62 random bits.
    """
    bits = int.from_bytes(random, "big")
    high = (unix_ms & (1 << 48) - 1) << 16 | 7 << 12 | bits >> 68
    low = 0b10 << 62 | bits & (1 << 62) - 1
    return str(UUID(int=high << 64 | low))
