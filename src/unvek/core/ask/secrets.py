"""Secrets: values that the environment has under names that a plan gives. They are used, and kept and shown nowhere."""

import os
from codecs import getincrementaldecoder
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from unvek.core.plain_text import each_text

if TYPE_CHECKING:
    from unvek.core.ask.secret_forms import Forms


class Secrets:
    """The values of these names, and how they are taken out of what is kept: each becomes its name in brackets."""

    def __init__(self, names: Sequence[str], environment: Mapping[str, str] = os.environ):
        self.values = {name: environment.get(name, "") for name in names}
        self._forms = _forms_of(self.values) if self.values else None

    def __bool__(self) -> bool:
        return self._forms is not None

    @property
    def missing(self) -> tuple[str, ...]:
        """The names that the environment does not have."""
        return tuple(name for name, value in self.values.items() if not value)

    def hide(self, data: bytes) -> bytes:
        return self._forms.hide(data) if self._forms else data

    def hide_text(self, text: str) -> str:
        if not self._forms or not text:
            return text
        data = text.encode("utf-8", "surrogatepass")
        hidden = self._forms.hide(data)
        return text if hidden is data else hidden.decode("utf-8", "replace")

    def hide_in(self, value: Any) -> Any:
        """Return a value of JSON, with all that is in it, without them."""
        return each_text(value, self.hide_text)

    def stream(self) -> "HidingStream":
        return HidingStream(self._forms)

    def text_stream(self) -> "HidingTextStream":
        return HidingTextStream(self.stream())


def _forms_of(values: Mapping[str, str]) -> "Forms | None":
    """Return the forms to look for; None where no value is long enough to be found."""
    from unvek.core.ask.secret_forms import Forms  # here: most plans have no secrets, and start without it

    return Forms((name, value.encode("utf-8", "surrogateescape")) for name, value in values.items()) or None


class HidingStream:
    """Takes secrets out of bytes that come piece by piece: what might become one is held back until it is known."""

    def __init__(self, forms: "Forms | None"):
        self._forms = forms
        self._held = b""

    def feed(self, piece: bytes) -> bytes:
        """Return what can be given on by now."""
        if self._forms is None:
            return piece
        known, self._held = self._forms.hide_begun(self._held + piece)
        return known

    def rest(self) -> bytes:
        """Return what was held back, at the end."""
        rest, self._held = self._held, b""
        return rest if self._forms is None else self._forms.hide(rest)


class HidingTextStream:
    """The same of text."""

    def __init__(self, stream: HidingStream):
        self._stream = stream
        self._decoder = getincrementaldecoder("utf-8")("replace")

    def feed(self, piece: str) -> str:
        return self._decoder.decode(self._stream.feed(piece.encode("utf-8", "surrogatepass")))

    def rest(self) -> str:
        return self._decoder.decode(self._stream.rest(), final=True)
