"""How an error quotes what it found: short, harmless, with the nearest word that would be right."""

import difflib
import math
import reprlib
from typing import Any

LONGEST_SHOWN = 60
LARGEST_WHOLE = 2**63 - 1  # of settings: what other languages and the logbook hold too


class _Quoting(reprlib.Repr):
    """What Python shows of a value, within bounds whatever the value: hostile ones are deep or of many digits."""

    def __init__(self) -> None:
        super().__init__()
        self.maxlevel, self.maxdict, self.maxlist, self.maxstring = 3, 4, 6, LONGEST_SHOWN

    def repr_int(self, value: int, level: int) -> str:
        if abs(value) <= LARGEST_WHOLE:
            return repr(value)
        return f"a whole number of some {int(value.bit_length() * math.log10(2))} digits"


_QUOTING = _Quoting()


def shown(value: Any) -> str:
    """A value as an error quotes it: short, and without control codes (repr escapes them)."""
    return shortened(str(value).lower() if isinstance(value, bool) else _QUOTING.repr(value))


def shortened(text: str) -> str:
    return text if len(text) <= LONGEST_SHOWN else text[: LONGEST_SHOWN - 1] + "…"


def nearest_words(value: object, known: tuple[str, ...]) -> str:
    """'; did you mean X?', or nothing where nothing known is near."""
    near = difflib.get_close_matches(value[:LONGEST_SHOWN], known, n=1) if isinstance(value, str) else ()
    return f"; did you mean {near[0]}?" if near else ""
