"""The journal's entries: what the engine says of its work, as frozen values, to and from one JSON object a line.

An entry is written by one engine and read by whoever watches, tells or recovers, perhaps of another version and perhaps
after a crash: what is read is checked against its kind's fields, and passed over where it does not fit.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar

import msgspec

from unvek.core.run.events.record import RunStart

Range = tuple[float, float]  # seconds, from and to
LARGEST = 2**63


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """The root. at_ns is the monotonic clock of the engine, set as the entry is written."""

    entry: ClassVar[str] = ""
    at_ns: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanBegins(Entry):
    """Where things stand: at the beginning, and again where a journal is continued or the rounds have grown.

    variants has each name and form; pending how many runs of each are left; earlier of runs made before variant, time,
    status and whether it was a warm-up. controls names the file beside the journal by which watchers ask for things.
    """

    entry: ClassVar[str] = "plan"
    title: str
    path: str
    reference: str
    variants: tuple[tuple[str, str], ...]
    rounds: int
    planned: int
    pending: Mapping[str, int]
    earlier: tuple[tuple[str, float | None, str, bool], ...]
    rig: Mapping[str, Any]
    controls: str = ""
    left_s: Range | None = None

    @property
    def done(self) -> int:
        return self.planned - sum(self.pending.values())


@dataclass(frozen=True, slots=True, kw_only=True)
class LaunchBegins(Entry):
    """A process is started; what it prints goes into the file `log`."""

    entry: ClassVar[str] = "launch"
    launch: int
    variant: str
    round: int
    log: str


@dataclass(frozen=True, slots=True, kw_only=True)
class NotLoaded(Entry):
    """A launch's variant could not be loaded."""

    entry: ClassVar[str] = "unloaded"
    launch: int
    variant: str
    error: str


@dataclass(frozen=True, slots=True, kw_only=True)
class RunBegins(Entry):
    """A run begins: all that is known of it by then, and what a watcher wants to see beside it."""

    entry: ClassVar[str] = "run"
    start: RunStart
    steps: int | None
    prompt: str
    memory_limit_bytes: int | None
    forecast_s: Range | None
    left_s: Range | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Looked(Entry):
    """What a look at the machine in the middle of a run has shown."""

    entry: ClassVar[str] = "look"
    memory_bytes: int | None
    device_bytes: int | None
    others_share: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Paused(Entry):
    entry: ClassVar[str] = "paused"


@dataclass(frozen=True, slots=True, kw_only=True)
class GoesOn(Entry):
    entry: ClassVar[str] = "going on"


@dataclass(frozen=True, slots=True, kw_only=True)
class RunKept(Entry):
    """A run is over, and safe in the logbook under the number `run`."""

    entry: ClassVar[str] = "kept"
    run: int
    launch: int
    place: int
    variant: str
    task: str
    seed: int
    round: int
    repeat: int
    warm_up: bool
    varied: Mapping[str, Any] = field(default_factory=dict)
    status: str
    error: str | None
    time_s: float | None
    steps: int
    tokens: int = 0
    memory_peak_bytes: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Continued(Entry):
    """The journal goes on in another file, which lies beside this one."""

    entry: ClassVar[str] = "continued"
    into: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Over(Entry):
    """All is made, or the user has stopped it."""

    entry: ClassVar[str] = "over"
    stopped: bool


KINDS: Mapping[str, type[Entry]] = {
    kind.entry: kind
    for kind in (
        PlanBegins, LaunchBegins, NotLoaded, RunBegins, Looked, Paused, GoesOn, RunKept, Continued, Over,
    )
}  # fmt: skip


def entry_as_json(entry: Entry) -> dict[str, Any]:
    """Return an entry as JSON values, its kind first: that is how one is found again in a long file."""
    return {"entry": entry.entry, **msgspec.to_builtins(entry, enc_hook=dict)}  # a frozen mapping becomes a plain one


def read_entry(content: Mapping[str, Any]) -> Entry | None:
    """Return the entry that JSON values hold; None where they are none, or lack what its kind should have."""
    kind = KINDS.get(name) if isinstance(name := content.get("entry"), str) else None
    if kind is None or not all(map(_is_possible, content.values())):
        return None
    try:
        return msgspec.convert(content, kind)
    except (msgspec.ValidationError, ValueError, RecursionError):
        return None


def _is_possible(value: Any) -> bool:
    """Whether a number, or each of a range, is one that a count, a size or a time can have."""
    if isinstance(value, list):
        return all(_is_possible(part) for part in value if not isinstance(part, list))
    return not isinstance(value, int | float) or -LARGEST <= value <= LARGEST
