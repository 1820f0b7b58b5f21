"""Secrets: values that the environment has under names that a plan gives. They are used, and kept nowhere."""

import json
import os
from collections.abc import Mapping, Sequence
from pathlib import Path

SHORTEST_HIDDEN = 4  # characters; a shorter value would be found everywhere


class Secrets:
    """The values of these names, and how they are taken out of what is kept: each becomes its name in brackets."""

    def __init__(self, names: Sequence[str], environment: Mapping[str, str] = os.environ):
        self.values = {name: environment.get(name, "") for name in names}
        self._hidden = [
            (form, f"[{name}]".encode())
            for name, value in self.values.items()
            if len(value) >= SHORTEST_HIDDEN
            for form in (value.encode("utf-8", "surrogateescape"), json.dumps(value)[1:-1].encode())
        ]

    def __bool__(self) -> bool:
        return bool(self._hidden)

    @property
    def missing(self) -> tuple[str, ...]:
        """The names that the environment does not have."""
        return tuple(name for name, value in self.values.items() if not value)

    def hide(self, data: bytes) -> bytes:
        for value, name in self._hidden:
            data = data.replace(value, name)
        return data

    def hide_text(self, text: str) -> str:
        if not self._hidden:
            return text
        return self.hide(text.encode("utf-8", "surrogatepass")).decode("utf-8", "replace")

    def hide_in(self, path: Path) -> None:
        """Take them out of a file that nobody writes to any more."""
        try:
            data = path.read_bytes() if self._hidden else b""
            hidden = self.hide(data)
            if hidden != data:
                path.write_bytes(hidden)
        except OSError:
            pass  # no such file: nothing was printed
