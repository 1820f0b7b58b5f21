"""What a key can say of a lane, and what a clock is set up with: as frozen values, to and from JSON."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

from unvek.core.ids import is_id
from unvek.core.measures.catalogue import COUNT, FAULTS
from unvek.core.plan.model import FORMS
from unvek.core.plan.names import LARGEST_SEED, is_name
from unvek.core.units import LONGEST_S

START, LAP, STOP, FAILED, COUNTED, WARM_UP, FORESEEN, ANEW, BACK = DOINGS = (
    "start", "lap", "stop", "failed", "counted", "warm-up", "foreseen", "anew", "back",
)  # fmt: skip
MOST_LANES, MOST_LAPS, LONGEST_LABEL = 9, 100_000, 200
OTHERS_WORD = "other program's word"  # what a forecast that Unvek has not made went by
LONGEST_CLOCK_S = 1e9  # a generation


@dataclass(frozen=True, slots=True, kw_only=True)
class Act:
    """What one press has said: of which lane, and when, in seconds since the clock began. BACK takes the last one back.

    name is the measure that is counted one up; value are the seconds that another program has foreseen.
    """

    do: str
    lane: str
    at_s: float
    name: str = ""
    value: float | None = None

    def check(self) -> None:
        """Raise ValueError where this is nothing that a key could have said."""
        seconds = [self.at_s, *([] if self.value is None else [self.value])]
        is_counted = self.do == COUNTED and self.name.startswith((COUNT, FAULTS)) and is_name(self.name)
        fits = self.do in DOINGS and all(math.isfinite(one) and 0 <= one <= LONGEST_CLOCK_S for one in seconds)
        if not fits or (self.do == COUNTED) != is_counted or (self.do == FORESEEN) != (self.value is not None):
            raise ValueError(f"no press says this: {self.do!r}")


@dataclass(frozen=True, slots=True, kw_only=True)
class ClockSetup:
    """What is timed. A lane is a variant, with a start of its own; counted are the measures that keys count.

    laps: how many a run has, of which the last ends it; 0 is as many as come. kept_running: the programs stay up from
    one run to the next, so that runs of one launch are no launches each. foreseen_s: what other programs say beforehand
    of every run of a lane. reaction_s: the standard deviation of what the hand adds to a time.
    """

    id: str
    lanes: tuple[str, ...]
    forms: Mapping[str, str] = field(default_factory=dict)
    task: str
    seed: int = 0
    laps: int = 0
    kept_running: bool = False
    counted: tuple[str, ...] = ()
    foreseen_s: Mapping[str, float] = field(default_factory=dict)
    reaction_s: float
    began_at: str
    name: str | None = None
    rig: str
    rig_facts: Mapping[str, Any] = field(default_factory=dict)

    def check(self) -> None:
        """Raise ValueError where no clock can be set up so."""
        lanes = self.lanes
        texts = (self.task, self.began_at, self.rig)
        amounts = (self.reaction_s, *self.foreseen_s.values())
        fits = (
            is_id(self.id)
            and 0 < len(lanes) <= MOST_LANES and len(set(lanes)) == len(lanes) and all(map(is_name, lanes))
            and set(self.forms) <= set(lanes) and set(self.forms.values()) <= set(FORMS)
            and set(self.foreseen_s) <= set(lanes) and (self.name is None or is_name(self.name))
            and all(0 < len(text) <= LONGEST_LABEL and text.isprintable() for text in texts)
            and all(math.isfinite(amount) and 0 < amount <= LONGEST_S for amount in amounts)
            and _is_moment(self.began_at) and 0 <= self.laps <= MOST_LAPS and 0 <= self.seed <= LARGEST_SEED
            and all(name.startswith((COUNT, FAULTS)) and is_name(name) for name in self.counted)
        )  # fmt: skip
        if not fits:
            raise ValueError("no clock can be set up so")

    def form(self, lane: str) -> str:
        return self.forms.get(lane, "full")


def _is_moment(text: str) -> bool:
    """Whether a text is a moment that a clock can begin at, with its time zone."""
    try:
        began = datetime.fromisoformat(text)
        return (began + timedelta(seconds=LONGEST_CLOCK_S)).utcoffset() is not None
    except (ValueError, OverflowError):
        return False
