"""What the user needs of a pick, such as "memory.peak <= 8 GiB" or "likeness >= 0.9"."""

import re
from dataclasses import dataclass

from unvek.core.errors import InputError
from unvek.core.evidence.evidence import Evidence
from unvek.core.units import parse_bytes, parse_duration

_NEED = re.compile(r"\s*([\w.\-]+)\s*(<=|>=)\s*(\S.*?)\s*")
WANTED = 'a need such as "memory.peak <= 8 GiB", "time.total <= 200 ms" or "likeness >= 0.9"'


@dataclass(frozen=True, slots=True, kw_only=True)
class Need:
    """A bound that a pick must keep; `text` is as the user wrote it."""

    measure: str
    at_most: bool
    bound: float
    text: str

    def is_met_by(self, value: float) -> bool:
        """Whether a value keeps the bound; an unknown one (NaN) never does."""
        return value <= self.bound if self.at_most else value >= self.bound


def parse_need(text: str, evidence: Evidence) -> Need:
    """Return the need that a text words; InputError says what would be right."""
    found = _NEED.fullmatch(text)
    if not found:
        raise InputError(f"{text!r} is no need; wanted {WANTED}")
    measure = evidence.values.measure(found[1])
    try:
        match measure.unit:
            case "s":
                bound = parse_duration(found[3])
            case "B":
                bound = float(parse_bytes(found[3]))
            case _:
                bound = float(found[3].removesuffix(measure.unit))
    except ValueError as error:
        wanted = str(error) if measure.unit in ("s", "B") else "a number"
        raise InputError(f"{found[3]!r} in {text!r} can't be read; wanted {wanted}") from error
    return Need(measure=measure.name, at_most=found[2] == "<=", bound=bound, text=text)
