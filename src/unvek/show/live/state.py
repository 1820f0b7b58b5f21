"""What the journal says is going on: entries and events in, a state to draw out."""

import base64
import binascii
from collections import deque
from collections.abc import Mapping
from dataclasses import dataclass, field
from statistics import median
from typing import Any

from unvek.core.plan.model import FORMS
from unvek.core.run.events.record import FAILURES, FINISHED, INTERRUPTED, RunStart
from unvek.core.run.journal.entries import (
    Entry,
    GoesOn,
    LaunchBegins,
    Looked,
    NotLoaded,
    Over,
    Paused,
    PlanBegins,
    Range,
    RunBegins,
    RunKept,
)
from unvek.core.run.journal.journal import EventRead
from unvek.core.units import LONGEST_S
from unvek.show.live.standing import Standing

NS = 1e-9
TEXT_KEPT = 2000
HOLD_NS = 1_000_000_000


@dataclass(slots=True)
class RunNow:
    """The run in progress."""

    start: RunStart
    prompt: str
    forecast_s: Range | None
    memory_limit_bytes: int | None
    steps_of: int | None
    began_ns: int
    boundary_ns: int
    step_times_s: list[float] = field(default_factory=list)
    phase: str = ""
    tokens: int = 0
    unit: str = "tokens"
    text: str = ""
    first_ns: int | None = None  # of the first token
    sent: int = 0  # requests, of a server
    answered: int = 0
    failed: int = 0
    ended_ns: int | None = None

    @property
    def has_news(self) -> bool:
        return bool(self.step_times_s or self.text or self.sent)

    def take_streamed(self, event: Mapping[str, Any]) -> None:
        """Take an event of an answer's stream, or of one of several."""
        match event["event"]:
            case "token":
                self.first_ns = self.first_ns or event["at_ns"]
                count = event.get("n")
                self.tokens += 1 if count is None else count
                self.unit = str(event.get("unit") or self.unit)
                if (event.get("stream") or 0) <= 1:  # of several answers the first is shown
                    self.text = (self.text + str(event.get("text") or ""))[-TEXT_KEPT:]
            case "text":
                self.text = (self.text + str(event["text"]))[-TEXT_KEPT:]
            case "sent":
                self.sent += 1
            case "answered":
                self.answered += 1
                self.failed += event.get("error") is not None


def _latest() -> deque[float]:
    """The latest of a long row of times: more dots than this nobody can tell apart, and each redraw walks them all."""
    return deque(maxlen=1000)


@dataclass(slots=True)
class VariantSoFar:
    """What one variant has shown so far."""

    form: str
    times_s: deque[float] = field(default_factory=_latest)
    warm_up_times_s: deque[float] = field(default_factory=_latest)
    failed_times_s: deque[float] = field(default_factory=_latest)
    failed: int = 0
    memory_peak_bytes: int = 0

    @property
    def median_s(self) -> float | None:
        return median(self.times_s) if self.times_s else None


@dataclass(frozen=True, slots=True)
class Preview:
    """The latest picture as it formed, and which run it is of: a new run may not have sent its own yet."""

    width: int
    height: int
    rgb: bytes
    of: str


class LiveState:
    """Everything that the live view draws."""

    def __init__(self) -> None:
        self.title = ""
        self.reference = ""
        self.rig: Mapping[str, Any] = {}
        self.rounds = self.round = 0
        self.planned = self.done = 0
        self.variants: dict[str, VariantSoFar] = {}
        self.now: RunNow | None = None
        self._before: RunNow | None = None
        self.loading: str | None = None
        self.latest: deque[RunKept] = deque(maxlen=100)
        self.preview: Preview | None = None
        self.news = ""
        self.standing = Standing()
        self.latest_ns = 0
        self.over = self.stopped = self.paused = False
        self.memory_bytes: int | None = None
        self.device_bytes: int | None = None
        self.others_share: float | None = None
        self.log = self.controls = ""
        self._left: tuple[float, float, int] | None = None
        # What the viewer, not the journal, says:
        self.keys = self.shows_log = self.slow_link = False
        self.asked = ""
        self.log_lines: list[str] = []

    def take(self, content: Entry | EventRead) -> None:
        """Take an entry of the journal, or an event; one that does not fit what came before is passed over."""
        try:
            if isinstance(content, Entry):
                self.latest_ns = max(self.latest_ns, content.at_ns)
                self._on_entry(content)
            else:
                self.latest_ns = max(self.latest_ns, int(content["at_ns"]))
                self._on_event(content)
        except (KeyError, TypeError, ValueError, binascii.Error):
            return

    def run_shown(self, now_ns: int) -> RunNow | None:
        """Return the run to draw: the one before, whole, for as long as a run just begun has nothing to show."""
        now = self.now
        if now is not None and self._before is not None and not now.has_news and now_ns - now.began_ns < HOLD_NS:
            return self._before
        return now

    def time_left_s(self, now_ns: int) -> tuple[float, float] | None:
        """Return the time left as a range, as the engine last put it, less what has gone by since."""
        if self._left is None:
            return None
        low_s, high_s, at_ns = self._left
        gone_s = max(0, now_ns - at_ns) * NS
        return max(0.0, low_s - gone_s), max(0.0, high_s - gone_s)

    def _on_entry(self, entry: Entry) -> None:
        match entry:
            case PlanBegins():
                self._on_plan(entry)
            case LaunchBegins() if entry.variant in self.variants:
                self.loading, self.round, self.log = entry.variant, entry.round, entry.log
                self.standing.settle(self.reference)
                self.now = self._before = None
                self.memory_bytes = self.device_bytes = None
            case NotLoaded():
                self.news = f"{entry.variant} could not be loaded: {entry.error}"
            case RunBegins():
                self._on_run(entry)
            case Looked():
                self.memory_bytes, self.device_bytes = entry.memory_bytes, entry.device_bytes
                self.others_share = entry.others_share
            case Paused():
                self.paused, self.asked = True, ""
            case GoesOn():
                self.paused, self.asked, self.news = False, "", ""
            case RunKept():
                self._on_kept(entry)
            case Over():
                self.over, self.now, self.loading, self.paused = True, None, None, False
                self.stopped = entry.stopped
                self.standing.settle(self.reference)

    def _on_plan(self, entry: PlanBegins) -> None:
        self.title, self.reference, self.rig = entry.title, entry.reference, entry.rig
        self.rounds, self.planned, self.done, self.controls = entry.rounds, entry.planned, entry.done, entry.controls
        self.variants = {name: VariantSoFar(form) for name, form in entry.variants if form in FORMS}
        if not {run.start.variant for run in (self.now, self._before) if run is not None} <= self.variants.keys():
            self.now = self._before = None
        self.loading = self.loading if self.loading in self.variants else None
        self.latest = deque((made for made in self.latest if made.variant in self.variants), self.latest.maxlen)
        self._foresee(entry.left_s, entry.at_ns)
        for name, time_s, status, warm_up in entry.earlier:
            self._add(self.variants[name], time_s, status, warm_up)

    def _foresee(self, left_s: Range | None, at_ns: int) -> None:
        self._left = (*left_s, at_ns) if left_s is not None else None

    def _on_run(self, entry: RunBegins) -> None:
        start = entry.start
        if start.variant not in self.variants:
            return  # of another plan, or of none
        self.loading, self.round = None, start.round
        if self.now is not None and self.now.has_news:
            self._before = self.now
        self.now = RunNow(
            start=start, prompt=entry.prompt, forecast_s=entry.forecast_s, memory_limit_bytes=entry.memory_limit_bytes,
            steps_of=entry.steps, began_ns=entry.at_ns, boundary_ns=entry.at_ns,
        )  # fmt: skip
        self._foresee(entry.left_s, entry.at_ns)

    def _on_kept(self, entry: RunKept) -> None:
        variant = self.variants[entry.variant]
        self.latest.append(entry)
        self.standing.take(entry)
        self._add(variant, entry.time_s, entry.status, entry.warm_up)
        if not entry.warm_up and entry.status != INTERRUPTED:
            self.done += 1
        variant.memory_peak_bytes = max(variant.memory_peak_bytes, entry.memory_peak_bytes or 0)
        if entry.status != FINISHED:
            self.news = f"{entry.variant}, {entry.task}, seed {entry.seed}: {entry.status}, {entry.error}"

    @staticmethod
    def _add(variant: VariantSoFar, time_s: float | None, status: str, warm_up: bool) -> None:
        variant.failed += status in FAILURES
        if time_s is not None and 0 <= time_s <= LONGEST_S:
            if status in FAILURES:
                variant.failed_times_s.append(time_s)
            elif status == FINISHED:
                (variant.warm_up_times_s if warm_up else variant.times_s).append(time_s)

    def _on_event(self, event: Mapping[str, Any]) -> None:
        now = self.now
        if now is None:
            return
        at_ns = event["at_ns"]
        match event["event"]:
            case "began":
                now.began_ns = now.boundary_ns = at_ns
            case "step":
                now.step_times_s.append((at_ns - now.boundary_ns) * NS)
                now.boundary_ns = at_ns
                now.steps_of = event.get("of") or now.steps_of
            case "phase":
                now.phase, now.boundary_ns = str(event["name"]), at_ns
            case "token" | "text" | "sent" | "answered":
                now.take_streamed(event)
            case "preview":
                width, height, rgb = event["width"], event["height"], base64.b64decode(event["rgb"], validate=True)
                start = now.start
                if 0 < width * height <= 96 * 96 and len(rgb) == 3 * width * height:
                    self.preview = Preview(width, height, rgb, f"{start.variant}, {start.task}, seed {start.seed}")
            case "ended":
                now.ended_ns = at_ns
