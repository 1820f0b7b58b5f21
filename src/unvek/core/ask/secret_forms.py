"""The forms in which a secret may stand in what others write, and where it stands in some bytes.

A secret is looked for as it is, and as it is written in JSON, in a URL, in HTML and in a shell, whichever of its
characters are escaped there and however often (RFC 8259, section 7; RFC 3986, section 2.1; HTML, "Character
references"); in hexadecimal; and in Base64 (RFC 4648), alone or within a longer text. A part that is long enough is
found as well.
"""

import re
from base64 import b64encode
from bisect import bisect_left
from collections.abc import Iterable, Iterator, Sequence
from html import unescape
from sys import byteorder
from typing import NamedTuple

SHORTEST = 4  # bytes; a shorter value would be found everywhere
SHORTEST_PART = 8  # bytes of a secret that are enough to be one
MOST_LEVELS = 3  # of escapes within escapes
WORD, SURE = 4, 7  # bytes
BACKSLASHED = (
    rb"\\u(?P<unit>[0-9a-fA-F]{4})(?:\\u(?P<low>[dD][c-fC-F][0-9a-fA-F]{2}))?"
    rb"|\\x(?P<byte>[0-9a-fA-F]{2})|\\(?P<character>[^ux])"
)
PERCENT = rb"%(?P<percent>[0-9a-fA-F]{2})"
ENTITY = rb"&(?P<entity>#[0-9]{1,7}|#[xX][0-9a-fA-F]{1,6}|[a-zA-Z]{2,8});"
FORM = rb"(?P<plus>\+)|" + PERCENT
EACH = tuple(re.compile(pattern, re.DOTALL) for pattern in (BACKSLASHED, PERCENT, ENTITY))
EVERY = re.compile(b"|".join((BACKSLASHED, PERCENT, ENTITY)), re.DOTALL)
OF_FORM = re.compile(FORM)
# What may still become an escape, or the rest of one, if more comes.
UNFINISHED = re.compile(
    rb"(?:(?:\\u[dD][89abAB][0-9a-fA-F]{2})?\\(?:u[0-9a-fA-F]{0,3}|x[0-9a-fA-F]?)?"
    rb"|\\u[dD][89abAB][0-9a-fA-F]{2}|%[0-9a-fA-F]?|&#?[0-9a-zA-Z]{0,8}|['\"$]+)\Z"
)
LONGEST_UNFINISHED = 16
ESCAPED = re.compile(rb"[\\%&'\"$]")
QUOTES = b"'\"$\\"  # what a shell takes away
QUOTE = re.compile(rb"['\"$\\]")
CONTROLS = {b"n": b"\n", b"t": b"\t", b"r": b"\r", b"b": b"\b", b"f": b"\f", b"0": b"\0"}

Span = tuple[int, int]
Place = tuple[int, int, bytes]  # from where to where which secret stands


class Needle(NamedTuple):
    """A form that is looked for: its bytes, and how many of them in a row are enough."""

    form: bytes
    fewest: int


def needles_of(secret: bytes) -> tuple[Needle, ...]:
    """Return the forms of a secret that stand for themselves; none of one that is too short to be told from others."""
    if len(secret) < SHORTEST:
        return ()
    part = min(len(secret), SHORTEST_PART)
    forms = {secret: part, secret.hex().encode(): 2 * part, secret.hex().upper().encode(): 2 * part}
    for alphabet in (b"+/", b"-_"):
        for offset in range(3):
            form = _in_base64(secret, offset, alphabet)
            if len(form) >= SHORTEST:
                forms.setdefault(form, min(len(form), SHORTEST_PART * 4 // 3))
    return tuple(Needle(form, fewest) for form, fewest in forms.items())


def _in_base64(secret: bytes, offset: int, alphabet: bytes) -> bytes:
    """Return the characters that a secret gives wherever it begins `offset` bytes after a group of three."""
    whole = b64encode(bytes(offset) + secret + bytes(3), alphabet)
    return whole[-(-offset * 8 // 6) : (offset + len(secret)) * 8 // 6]


class Forms:
    """All forms of some secrets, each of which has a name."""

    def __init__(self, secrets: Iterable[tuple[str, bytes]]):
        known = [(name.encode(), secret) for name, secret in secrets]
        self._needles = [(needle, name) for name, secret in known for needle in needles_of(secret)]
        unquoted = [(secret.translate(None, QUOTES), name) for name, secret in known if QUOTE.search(secret)]
        self._needles += [(Needle(form, min(len(form), SHORTEST_PART)), name) for form, name in unquoted
                          if len(form) >= SHORTEST]  # fmt: skip
        quoted = [(secret.replace(b"'", b"""'"'"'"""), name) for name, secret in known if b"'" in secret]
        self._needles += [(Needle(form, len(form)), name) for form, name in quoted]
        self._all = b"\0".join(needle.form for needle, _ in self._needles)
        self._longest = max((len(needle.form) for needle, _ in self._needles), default=0)
        self._short = [(needle.form, name) for needle, name in self._needles if needle.fewest < SURE]
        # By length every part that is long enough; and every word of four bytes in any of them.
        self._parts: dict[int, dict[bytes, bytes]] = {}
        self._words: set[int] = set()
        for (form, fewest), name in self._needles:
            if fewest >= SURE:
                parts = self._parts.setdefault(fewest, {})
                parts |= {form[at : at + fewest]: name for at in range(len(form) - fewest + 1)}
                self._words |= {int.from_bytes(form[at : at + WORD], byteorder) for at in range(len(form) - WORD + 1)}
        self._has_space = any(b" " in secret for _, secret in known)
        self._most_held = 64 + 12 * self._longest

    def __bool__(self) -> bool:
        return bool(self._needles)

    def hide(self, data: bytes) -> bytes:
        """Return bytes in which the name of each secret, in brackets, stands in the place of its forms.

        The very same bytes where there is none.
        """
        return _without(data, _joined(self._found(data)))

    def hide_begun(self, data: bytes) -> tuple[bytes, bytes]:
        """Return (the beginning, with the names in the place of the forms; the rest, which may go on as one)."""
        cut = self._open_from(data)
        if len(data) < SURE and not self._short:  # most tokens
            return data[:cut], data[cut:]
        found = _joined(self._found(data))
        for start, end, _ in found:
            if start < cut < end:
                cut = start if end == len(data) else end
        return _without(data[:cut], [one for one in found if one[1] <= cut]), data[cut:]

    def _found(self, data: bytes) -> Iterator[Place]:
        yield from self._found_in(View(data))
        if self._is_escaped(data):
            for view in self._read_views(data):
                yield from self._found_in(view)

    def _is_escaped(self, data: bytes) -> bool:
        return ESCAPED.search(data) is not None or (self._has_space and b"+" in data)

    def _found_in(self, view: "View") -> Iterator[Place]:
        """Yield the places of parts, which may overlap: a hot path.

        Whatever has seven bytes of a form in a row has a whole word of it that begins at a multiple of four, so that
        most data need not be looked at more closely.
        """
        data = view.data
        words = memoryview(data[: len(data) & ~(WORD - 1)]).cast("I")
        if not self._words.isdisjoint(words):
            near = [WORD * at for at, word in enumerate(words) if word in self._words]
            for length, parts in self._parts.items():
                looked = 0
                for place in near:
                    for start in range(max(looked, place - length + WORD), place + 1):
                        name = parts.get(data[start : start + length])
                        if name is not None:
                            yield *view.span(start, start + length), name
                    looked = max(looked, place + 1)
        for form, name in self._short:
            place = data.find(form)
            while place >= 0:
                yield *view.span(place, place + len(form)), name
                place = data.find(form, place + 1)

    def _read_views(self, data: bytes, to_go_on: bool = False) -> Iterator["View"]:
        """Yield some bytes as they are read: each sort of escapes alone, all together as often as there are any.

        to_go_on: more may come, so that an escape that is not whole at the end is left away.
        """
        raw = View(data)
        ways: list[tuple[re.Pattern[bytes], ...]] = [(pattern,) for pattern in EACH if pattern.search(data)]
        ways = [way * MOST_LEVELS for way in ways] if len(ways) == 1 else [*ways, (EVERY,) * MOST_LEVELS]
        if self._has_space:
            ways.append((OF_FORM,))
        if QUOTE.search(data):
            ways.append((QUOTE,))
        for way in ways:
            view = raw
            for pattern in way:
                cut = _unfinished(view.data) if to_go_on else None
                view = (view if cut is None else view.up_to(cut)).read(pattern)
                yield view
                if not pattern.search(view.data) and (not to_go_on or _unfinished(view.data) is None):
                    break

    def _open_from(self, data: bytes) -> int:
        """Return from where on bytes might become a secret, or more of one, if more comes; their length if none."""
        if not self._is_escaped(data):
            return len(data) - self._known_at_end(data)
        before = max(0, len(data) - self._most_held)
        tail = data[before:]
        views = (View(tail), *self._read_views(tail, to_go_on=True))
        return before + min(self._begins_in(view, len(tail)) for view in views)

    def _begins_in(self, view: "View", whole: int) -> int:
        """Return from where on in the data that was given the end of a view is a part of some form."""
        known = self._known_at_end(view.data)
        place = view.span(len(view.data) - known, len(view.data))[0]
        return place if known or place < whole else whole

    def _known_at_end(self, data: bytes) -> int:
        """Return how many of the last bytes are in a form: where the last nine are, the last eight are as well."""
        known, unknown, size = 0, min(self._longest, len(data)) + 1, 1
        while size < unknown and data[-size:] in self._all:
            known, size = size, 2 * size
        unknown = min(unknown, size)
        while unknown - known > 1:
            middle = (known + unknown) // 2
            known, unknown = (middle, unknown) if data[-middle:] in self._all else (known, middle)
        return known


def _joined(found: Iterable[Place]) -> list[Place]:
    """Return places in order, those that overlap as one."""
    joined: list[Place] = []
    for start, end, name in sorted(found):
        if joined and start < joined[-1][1]:
            before, until, name = joined.pop()
            start, end = before, max(until, end)
        joined.append((start, end, name))
    return joined


def _without(data: bytes, found: Sequence[Place]) -> bytes:
    """Return bytes in which names stand in these places; the very same where there are none."""
    if not found:
        return data
    pieces, done = [], 0
    for start, end, name in found:
        pieces += [data[done:start], b"[" + name + b"]"]
        done = end
    return b"".join((*pieces, data[done:]))


class View:
    """Some bytes as they were, or read without their escapes; and where each of these bytes came from."""

    def __init__(self, data: bytes, escapes: Sequence[tuple[int, int, int, int]] = (), of: "View | None" = None):
        """escapes: (start and end in this data, start and end in the data that it was read from), in order."""
        self.data, self._escapes, self._of = data, escapes, of

    def span(self, start: int, end: int) -> Span:
        """Return where bytes of this view stand in the data that was given."""
        if self._of is None:
            return start, end
        return self._of.span(self._place(start, at_end=False), self._place(end, at_end=True))

    def up_to(self, end: int) -> "View":
        """Return the beginning of this, so long."""
        return View(self.data[:end], self._escapes, self._of)

    def read(self, pattern: "re.Pattern[bytes]") -> "View":
        """Return this with the escapes that fit the pattern replaced by what they mean."""
        pieces, escapes, done, length = [], [], 0, 0
        for match in pattern.finditer(self.data):
            meant = _meant(match)
            pieces += [self.data[done : match.start()], meant]
            length += match.start() - done
            escapes.append((length, length + len(meant), match.start(), match.end()))
            length += len(meant)
            done = match.end()
        return View(b"".join((*pieces, self.data[done:])), escapes, self)

    def _place(self, place: int, at_end: bool) -> int:
        """Return the place in the data read from; within an escape that is its beginning, or its end."""
        after = bisect_left(self._escapes, place + (not at_end), key=lambda escape: escape[0])
        if not after:
            return place
        _, end, source_start, source_end = self._escapes[after - 1]
        if place < end:
            return source_end if at_end else source_start
        return source_end + place - end


def _unfinished(data: bytes) -> int | None:
    """Return where at the end an escape begins that may not be whole."""
    found = UNFINISHED.search(data, max(0, len(data) - LONGEST_UNFINISHED))
    return None if found is None else found.start()


def _meant(match: "re.Match[bytes]") -> bytes:
    """Return what an escape stands for; a quote of a shell stands for nothing."""
    of = match.groupdict()
    if of.get("unit"):
        units = [int(of["unit"], 16), *([int(of["low"], 16)] if of["low"] else ())]
        return b"".join(unit.to_bytes(2, "big") for unit in units).decode("utf-16-be", "replace").encode()
    byte = of.get("byte") or of.get("percent")
    if byte:
        return bytes([int(byte, 16)])
    if of.get("character"):
        return CONTROLS.get(of["character"], of["character"])
    if of.get("entity"):
        return unescape(match.group().decode("ascii")).encode("utf-8", "replace")
    return b" " if of.get("plus") else b""
