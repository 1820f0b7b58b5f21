"""What the user needs of an output or of a pick, as it is worded: "expect >= 0.9", "time.first p95 <= 300 ms"."""

import re
from dataclasses import dataclass

from unvek.core.units import parse_bytes, parse_duration

_NEED = re.compile(r"\s*([\w.\-]+?)(?:\s+p([0-9]{1,2}))?\s*(<=|>=)\s*(\S.*?)\s*")
WANTED = (
    'a need such as "memory.peak <= 8 GiB", "time.total <= 200 ms", "time.first p95 <= 300 ms" or "likeness >= 0.9"'
)


@dataclass(frozen=True, slots=True, kw_only=True)
class WordedNeed:
    """A bound on a measure, as it was written; share of the runs must keep it, None for a typical run."""

    measure: str
    at_most: bool
    amount: str
    share: float | None
    text: str

    def bound(self, unit: str) -> float:
        """Return the amount in the measure's own unit; ValueError says what would be right."""
        match unit:
            case "s":
                return parse_duration(self.amount)
            case "B":
                return float(parse_bytes(self.amount))
            case _:
                try:
                    return _number(self.amount.removesuffix(unit) if unit else self.amount)
                except ValueError as error:
                    raise ValueError("a number") from error


def _number(text: str) -> float:
    """Return a number, or a percentage as its share."""
    text, is_percentage, _ = text.strip().partition("%")
    return float(text) / 100 if is_percentage else float(text)


def worded_need(text: str) -> WordedNeed:
    """Return a need by its parts; ValueError where it is none."""
    found = _NEED.fullmatch(text)
    if not found or (found[2] is not None and not 0 < int(found[2]) < 100):
        raise ValueError(WANTED)
    share = int(found[2]) / 100 if found[2] is not None else None
    return WordedNeed(measure=found[1], at_most=found[3] == "<=", amount=found[4], share=share, text=text.strip())
