"""What the user needs of a pick, such as "memory.peak <= 8 GiB", "likeness >= 0.9" or "time.first p95 <= 300 ms"."""

import re
from dataclasses import dataclass

import numpy as np

from unvek.core.errors import InputError
from unvek.core.evidence.counted_runs import Truths
from unvek.core.evidence.evidence import Evidence
from unvek.core.stats.shares import share_by_launch
from unvek.core.units import counted, parse_bytes, parse_duration

_NEED = re.compile(r"\s*([\w.\-]+?)(?:\s+p([0-9]{1,2}))?\s*(<=|>=)\s*(\S.*?)\s*")
WANTED = (
    'a need such as "memory.peak <= 8 GiB", "time.total <= 200 ms", "time.first p95 <= 300 ms" or "likeness >= 0.9"'
)
MET, UNMET, NOT_SHOWN = "met", "unmet", "not shown"


@dataclass(frozen=True, slots=True, kw_only=True)
class Need:
    """A bound that a pick must keep; `text` is as the user wrote it.

    share: of the runs that must keep it; None for a typical run. Of memory every run must: it does not matter how much
    is held mostly.
    """

    measure: str
    at_most: bool
    bound: float
    text: str
    share: float | None = None
    is_of_largest: bool = False

    def state(self, evidence: Evidence, mine: Truths) -> tuple[str, str]:
        """Return whether these runs of a variant meet it, do not, or are not shown to; and why, in words, if not."""
        values = evidence.values.of(self.measure)[mine]
        known = np.isfinite(values)
        if not np.any(known):
            return UNMET, "it is not known"
        breaks = values[known] > self.bound if self.at_most else values[known] < self.bound
        why = f"{np.count_nonzero(breaks)} of {counted(len(breaks), 'run')} break it"
        if self.is_of_largest:
            return UNMET if np.any(breaks) else MET, why
        if self.share is not None:
            low, high, _ = share_by_launch(breaks, evidence.runs.launch[mine][known])
            return MET if high <= 1 - self.share else UNMET if low > 1 - self.share else NOT_SHOWN, why
        found = evidence.location(self.measure, mine)
        assert found is not None, "a value is known"
        if found.low is None or found.high is None:
            return NOT_SHOWN if self._keeps(found.value) else UNMET, "there is one launch"
        keeps = [self._keeps(end) for end in (found.low, found.high)]
        return MET if all(keeps) else NOT_SHOWN if any(keeps) else UNMET, "its interval reaches over it"

    def _keeps(self, value: float) -> bool:
        return value <= self.bound if self.at_most else value >= self.bound


def parse_need(text: str, evidence: Evidence) -> Need:
    """Return the need that a text words; InputError says what would be right."""
    found = _NEED.fullmatch(text)
    if not found or (found[2] is not None and not 0 < int(found[2]) < 100):
        raise InputError(f"{text!r} is no need; wanted {WANTED}")
    measure = evidence.values.measure(found[1])
    try:
        match measure.unit:
            case "s":
                bound = parse_duration(found[4])
            case "B":
                bound = float(parse_bytes(found[4]))
            case _:
                bound = float(found[4].removesuffix(measure.unit))
    except ValueError as error:
        wanted = str(error) if measure.unit in ("s", "B") else "a number"
        raise InputError(f"{found[4]!r} in {text!r} can't be read; wanted {wanted}") from error
    share = int(found[2]) / 100 if found[2] is not None else None
    return Need(measure=measure.name, at_most=found[3] == "<=", bound=bound, text=text, share=share,
                is_of_largest=measure.unit == "B" and share is None and found[3] == "<=")  # fmt: skip
