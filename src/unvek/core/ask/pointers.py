"""Where a value stands in a JSON message: JSON Pointers (RFC 6901)."""

from collections.abc import Sequence
from typing import Any

from jsonpointer import JsonPointer


def parts_of(pointer: str) -> tuple[str, ...]:
    """Return the parts of a JSON Pointer, unescaped."""
    return tuple(JsonPointer(pointer).parts)


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
