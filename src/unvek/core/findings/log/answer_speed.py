"""What a run wrote piece by piece: how much of what, how soon, how quickly."""

from collections.abc import Mapping
from dataclasses import dataclass

from unvek.core.measures.catalogue import COUNTED_IN


@dataclass(frozen=True, slots=True, kw_only=True)
class AnswerSpeed:
    """count is in `unit` (tokens, words or characters); per_s is after the first piece, None where nothing followed."""

    count: float
    unit: str
    first_s: float | None
    per_s: float | None


def answer_speed_of(tokens: int, first_s: float | None, measures: Mapping[str, float | None]) -> AnswerSpeed | None:
    """Return what a run wrote, from its measures by name; None where it wrote nothing piece by piece."""
    for unit in COUNTED_IN:
        count = tokens if unit == "tokens" else measures.get(f"output.{unit}")
        if count:
            return AnswerSpeed(count=count, unit=unit, first_s=first_s, per_s=measures.get(f"rate.{unit}"))
    return None
