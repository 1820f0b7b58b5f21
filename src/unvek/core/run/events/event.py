"""Events as they come from beside the model: hostile bytes in, checked events out."""

import json
import math
import re
from collections.abc import Iterator, Mapping
from types import MappingProxyType
from typing import Any, NamedTuple

LONGEST_LINE_BYTES = 64 * 1024
LARGEST_STAMP_NS = 2**62
LONGEST_PACKAGE_TEXT = 100
PLAIN = re.compile(
    rb'\{"event":"(?:step","at_ns":([1-9][0-9]{0,17})'
    rb'|token","at_ns":([1-9][0-9]{0,17}),"n":([1-9][0-9]{0,8}),"text":"([ !#-\[\]-~]*)"'
    rb'(?:,"stream":([1-9][0-9]{0,5}))?)\}'
)
NOTHING: Mapping[str, Any] = MappingProxyType({})

# For each kind of event its fields, and whether each is needed.
_FIELDS: Mapping[str, Mapping[str, tuple[type, bool]]] = {
    "ready": {"version": (int, True), "pid": (int, True), "python": (str, False), "implementation": (str, False)},
    "loaded": {
        "began_ns": (int, True),
        "error": (str, False),
        "out_of_memory": (bool, False),
        "memory_before_bytes": (int, False),
    },
    "began": {},
    "phase": {"name": (str, True)},
    "step": {"of": (int, False), "timed": (bool, False)},
    "token": {
        "n": (int, False),
        "text": (str, False),
        "stream": (int, False),
        "unit": (str, False),
        "part": (str, False),
    },
    "tokens": {
        "read": (int, False),
        "cached": (int, False),
        "written": (int, False),
        "stream": (int, False),
        "part": (str, False),
    },
    "sent": {
        "stream": (int, True),
        "client": (int, False),
        "due_ns": (int, False),
        "unit": (str, False),
        "body": (str, False),
    },
    "answered": {"stream": (int, True), "code": (int, False), "error": (str, False), "tries": (int, False)},
    "text": {
        "text": (str, True),
        "n": (int, False),
        "stream": (int, False),
        "unit": (str, False),
        "part": (str, False),
    },
    "output": {"name": (str, True)},
    "value": {"name": (str, True), "number": (float, True), "unit": (str, False)},
    "count": {"name": (str, True), "n": (int, False)},
    "fault": {"kind": (str, True), "note": (str, False)},
    "preview": {"width": (int, True), "height": (int, True), "rgb": (str, True)},
    "memory": {"device_bytes": (int, False)},
    "packages": {"versions": (dict, True), "modules": (dict, True), "threads": (dict, True)},
    "ended": {"status": (str, True), "error": (str, False), "cpu_s": (float, False), "memory_peak_bytes": (int, False)},
}


class NotAnEventError(ValueError):
    """A line that is no event; its text says why."""


class Event(NamedTuple):
    """One checked event: its kind, its stamp on the monotonic clock, its fields, and the line it came as.

    A tuple, since a hundred thousand are made in a second.
    """

    kind: str
    at_ns: int
    fields: Mapping[str, Any]
    line: bytes


def parse_event(line: bytes) -> Event:
    """Return the event that a line holds; NotAnEventError where it holds none."""
    plain = PLAIN.fullmatch(line)  # the most frequent lines, as the probe writes them, need no parsing
    if plain is not None:
        return _plain_event(plain, line)
    try:
        content = json.loads(line)
    except (ValueError, RecursionError) as error:
        raise NotAnEventError("a line that isn't JSON") from error
    if not isinstance(content, dict):
        raise NotAnEventError("a line that isn't a JSON object")
    kind, at_ns = content.pop("event", None), content.pop("at_ns", None)
    wanted = _FIELDS.get(kind) if isinstance(kind, str) else None
    if wanted is None:
        raise NotAnEventError("an event of an unknown kind")
    if type(at_ns) is not int or not 0 <= at_ns <= LARGEST_STAMP_NS:
        raise NotAnEventError(f"a {kind} event without a stamp")
    for name, (type_, needed) in wanted.items():
        value = content.get(name)
        if value is not None:
            content[name] = _checked(kind, name, value, type_)
        elif needed:
            raise NotAnEventError(f"a {kind} event without its {name}")
    return Event(kind, at_ns, content, line)


def _plain_event(plain: re.Match[bytes], line: bytes) -> Event:
    step_at_ns, at_ns, count, text, stream = plain.groups()
    if step_at_ns is not None:
        return Event("step", int(step_at_ns), NOTHING, line)
    fields: dict[str, Any] = {"n": int(count), "text": text.decode("ascii")}
    if stream is not None:
        fields["stream"] = int(stream)
    return Event("token", int(at_ns), fields, line)


def _checked(kind: str, name: str, value: Any, type_: type) -> Any:
    """Return a field's value, of the type that it must be of."""
    if type_ is float:
        # A value that is none is refused with its name, where the run is put together.
        if type(value) not in (int, float) or (kind != "value" and not _is_finite(value)):
            raise NotAnEventError(f"a {kind} event whose {name} is no finite number")
    elif type(value) is not type_ or (isinstance(value, int) and not 0 <= value <= LARGEST_STAMP_NS):
        raise NotAnEventError(f"a {kind} event whose {name} is no {type_.__name__}")
    return storable(value) if type(value) is str and not value.isascii() else value


def _is_finite(number: float) -> bool:
    try:
        return math.isfinite(number)
    except OverflowError:  # a whole number of hundreds of digits
        return False


def packages_of(event: Event) -> dict[str, dict[str, str | None]]:
    """Return what a `packages` event says, as texts by name: versions, modules' digests, threads."""
    return {
        part: {
            storable(str(name)): None if value is None else storable(str(value))[:LONGEST_PACKAGE_TEXT]
            for name, value in event.fields[part].items()
        }
        for part in ("versions", "modules", "threads")
    }


def storable(text: str) -> str:
    """Return a text that can be written as UTF-8: halves of characters, which JSON allows, become question marks."""
    return text.encode("utf-8", "replace").decode("utf-8")


def made_event(kind: str, at_ns: int, /, **fields: Any) -> Event:
    """Return an event that the engine's own side makes, in the place of a process that writes none."""
    line = json.dumps({"event": kind, "at_ns": at_ns, **fields}).encode()
    return Event(kind, at_ns, fields, line)


class LineSplitter:
    """Cuts a stream of bytes into lines, with a bound on how long a line may grow."""

    def __init__(self, longest: int = LONGEST_LINE_BYTES):
        self._longest = longest
        self._rest = b""
        self._dropping = False
        self.dropped = 0  # lines that were too long

    def feed(self, data: bytes) -> Iterator[bytes]:
        """Yield the lines that data completes, without their ends and without empty ones."""
        *lines, rest = (self._rest + data).split(b"\n")
        for line in lines:
            if self._dropping or len(line) > self._longest:
                self._dropping = False
                self.dropped += 1
            elif line.strip():
                yield line
        if len(rest) > self._longest:
            self._dropping, rest = True, b""
        self._rest = rest
