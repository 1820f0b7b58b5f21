"""The limits of a run: whether one is reached, and when to look again at the latest."""

from collections.abc import Mapping
from dataclasses import dataclass
from time import monotonic
from typing import Any

from unvek.core.plan.model import Limits
from unvek.core.rig.telemetry import LOOK_EVERY_S, Look
from unvek.core.run.engine.looping import LoopWatch
from unvek.core.run.events.event import Event
from unvek.core.run.events.record import LOOPING, OUT_OF_MEMORY, OVER_LIMIT, SKIPPED, STALLED, TIMED_OUT
from unvek.core.run.outputs_room import MakingFolder
from unvek.core.units import bytes_words

SIZED_EVERY_S = 0.5  # how often what a run has written is summed up
STEPPED = "broken off after its first step"
SHORTEST_WAIT_S = 0.002
SOONEST_LOOK_S = 0.02  # how often memory that rises quickly is looked at


@dataclass(frozen=True, slots=True)
class Outcome:
    """How a run ended: a status, what went wrong, and the exit code where the process ended with it.

    from_outside: by a signal that neither the engine has sent nor a crash.
    """

    status: str
    error: str | None = None
    exit_code: int | None = None
    from_outside: bool = False


class LimitsWatch:
    """Holds one run to its limits. It is told of every event and every look, and asked in between."""

    def __init__(self, limits: Limits, out: MakingFolder | None, one_step: bool = False):
        """one_step: the run is to end after its first step or token."""
        self._one_step, self._has_stepped = one_step, False
        self._limits = limits
        self._out = out
        self._began_s = self._heard_s = self._sized_s = self._looked_s = monotonic()
        self._tokens: dict[int, int] = {}  # by stream: each is an answer of its own
        self._written_bytes = self._files_bytes = 0
        self._loops: dict[int, LoopWatch] = {}
        self._memory: tuple[float, int] | None = None
        self._device_bytes = 0
        self._rise_bytes_per_s = 0.0

    def take(self, events: list[Event]) -> None:
        """Note what has come."""
        if events:
            self._heard_s = monotonic()
        for event in events:
            kind = event.kind
            self._has_stepped = self._has_stepped or kind in ("step", "token")
            if kind == "token":
                self._take_token(event.fields)
            elif kind == "text":
                self._written_bytes += len(event.fields["text"])
            elif kind == "memory":
                self._device_bytes = event.fields.get("device_bytes") or 0

    def _take_token(self, fields: Mapping[str, Any]) -> None:
        count, stream, text = fields.get("n"), fields.get("stream") or 0, fields.get("text") or ""
        self._written_bytes += len(text)
        self._tokens[stream] = self._tokens.get(stream, 0) + (1 if count is None else count)
        if self._limits.loop is not None:
            loop = self._loops.get(stream)
            if loop is None:
                loop = self._loops[stream] = LoopWatch()
            loop.take(text)

    def note(self, look: Look) -> None:
        """Note the memory, and how quickly it rises."""
        self._looked_s = monotonic()
        now_s, size = look.machine.at_s, look.tree.memory_bytes
        if self._memory is not None and now_s > self._memory[0]:
            self._rise_bytes_per_s = (size - self._memory[1]) / (now_s - self._memory[0])
        self._memory = (now_s, size)
        if look.device_bytes is not None:
            self._device_bytes = look.device_bytes

    def next_look_s(self) -> float:
        """How long the next look at the memory may wait: less where it would soon be over the limit."""
        most, memory = self._limits.memory_bytes, self._memory
        if most is None or memory is None or self._rise_bytes_per_s <= 0:
            return LOOK_EVERY_S
        return min(LOOK_EVERY_S, max(SOONEST_LOOK_S, (most - memory[1]) / self._rise_bytes_per_s / 2))

    def look_is_due(self) -> bool:
        return monotonic() - self._looked_s >= self.next_look_s()

    def wait_s(self) -> float:
        """How long the next event may be waited for: until the nearest limit of time, or the next look."""
        waits_s = [self.next_look_s()]
        if self._limits.run_s is not None:
            waits_s.append(self._began_s + self._limits.run_s - monotonic())
        if self._limits.stall_s is not None:
            waits_s.append(self._heard_s + self._limits.stall_s - monotonic())
        return max(SHORTEST_WAIT_S, min(waits_s))

    def reached(self) -> Outcome | None:
        """Return how the run is to end, where a limit is reached."""
        limits, now_s = self._limits, monotonic()
        if self._one_step and self._has_stepped:
            return Outcome(SKIPPED, STEPPED)
        if now_s - self._sized_s >= SIZED_EVERY_S:
            self._size_files(now_s)
        over = self._gone_over()
        if over is not None:
            return over
        if limits.run_s is not None and now_s - self._began_s >= limits.run_s:
            return Outcome(TIMED_OUT, f"took longer than {limits.run_s:g} s (limits.run)")
        if limits.stall_s is not None and now_s - self._heard_s >= limits.stall_s:
            return Outcome(STALLED, f"nothing came for {limits.stall_s:g} s (limits.stall)")
        return None

    def gone_over(self) -> Outcome | None:
        """Return by what a run that has ended was over a limit: a quick one ends before it can be ended for that."""
        self._size_files(monotonic())
        return self._gone_over()

    def _gone_over(self) -> Outcome | None:
        """Return which limit of what a run holds and writes it is over."""
        limits = self._limits
        if limits.memory_bytes is not None:
            held, where = max((self._memory[1] if self._memory else 0, "memory"), (self._device_bytes, "accelerator"))
            if held > limits.memory_bytes:
                most = bytes_words(limits.memory_bytes)
                return Outcome(OUT_OF_MEMORY, f"held {bytes_words(held)} of {where}, more than {most} (limits.memory)")
        if limits.tokens is not None and max(self._tokens.values(), default=0) > limits.tokens:
            return Outcome(OVER_LIMIT, f"wrote more than {limits.tokens} tokens (limits.tokens)")
        loop_times = max((loop.times_in_a_row for loop in self._loops.values()), default=0)
        if limits.loop is not None and loop_times >= limits.loop:
            return Outcome(LOOPING, f"wrote the same stretch of tokens {limits.loop} times in a row (limits.loop)")
        if limits.output_bytes is not None and self._written_bytes + self._files_bytes > limits.output_bytes:
            return Outcome(OVER_LIMIT, f"wrote more than {bytes_words(limits.output_bytes)} (limits.output)")
        return None

    def _size_files(self, now_s: float) -> None:
        """Sum up the files that the run has written so far."""
        self._sized_s = now_s
        if self._out is not None and self._limits.output_bytes is not None:
            self._files_bytes = self._out.bytes()
