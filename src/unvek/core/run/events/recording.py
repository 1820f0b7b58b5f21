"""Folding a run's events into its Progress: which step took how long, which phase, what was handed in."""

import math
from array import array
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from io import StringIO
from itertools import pairwise
from typing import Any

from unvek.core.measures.catalogue import CACHED_TOKENS, COUNT, PHASE_STEP_TIME, PHASE_STEPS, PHASE_TIME, READ_TOKENS
from unvek.core.measures.definition import MEASURED, TOLD
from unvek.core.run.events.event import Event
from unvek.core.run.events.middles import median_of
from unvek.core.run.events.record import Progress, Value
from unvek.core.run.events.streams import NS, Streams

LONGEST_TEXT = 4 * 2**20  # characters kept of what a run wrote
MOST_STEPS = 2_000_000
MOST_PHASES = 60_000
MOST_NAMED = 10_000  # values, faults and outputs kept of one run
LONGEST_NAME, LONGEST_UNIT = 100, 20  # characters
PROMPT_PHASE = "prompt"  # in which nothing but the prompt is read
UNNAMED_PHASE = "start"  # from the beginning of a run to its first phase


class Recording:
    """Takes the events of one run, in the order in which they come.

    A step lasts from the latest boundary before it (the run's start, a phase's start or the step before) to its
    own stamp. A stamp that runs backwards is held at the latest one seen.
    """

    def __init__(self, holds_load: bool = False) -> None:
        """holds_load: whether the run is timed from the start of a process, so that loading is part of it."""
        self._holds_load = holds_load
        self.began_ns: int | None = None
        self.end: Event | None = None
        self._latest_ns = 0
        self._boundary_ns = 0
        self._first_ns: int | None = None
        self._step_times_ns = array("q")  # a list of a million would take five times the room
        self._step_phases = array("H")  # for each step its phase, by the place of that
        self._untimed_phases = array("H")  # the same of steps of which only the end is known
        self._phases: list[tuple[str, int]] = []
        self._streams = Streams()
        self._text = StringIO()
        self._text_length = 0
        self._values: dict[tuple[str, bool], Value] = {}  # by name, and whether Unvek gave it
        self._faults: list[tuple[str, str]] = []
        self._outputs: list[str] = []
        self._device_bytes: int | None = None

    @property
    def steps(self) -> int:
        return len(self._step_times_ns) + len(self._untimed_phases)

    @property
    def outputs(self) -> Sequence[str]:
        """The names of the files that were reported, in that order."""
        return self._outputs

    def take(self, event: Event) -> None:
        if self.end is not None:
            return  # nothing can be added to a run that is over
        if event.kind == "began":
            if self.began_ns is None:
                self.began_ns = self._latest_ns = self._boundary_ns = event.at_ns
                self._phases.append((UNNAMED_PHASE, event.at_ns))
            return
        if self.began_ns is None:
            return
        at_ns = self._latest_ns = max(self._latest_ns, event.at_ns)
        fields = event.fields
        match event.kind:
            case "step" if len(self._step_times_ns) < MOST_STEPS:
                place = min(len(self._phases), MOST_PHASES) - 1
                if fields.get("timed") is False:
                    self._untimed_phases.append(place)
                else:
                    self._step_times_ns.append(at_ns - self._boundary_ns)
                    self._step_phases.append(place)
                self._boundary_ns = at_ns
                self._first_ns = self._first_ns or at_ns
            case "token":
                number = fields.get("stream") or 0
                self._streams.take_piece(number, at_ns, fields.get("n"), fields.get("unit"))
                self._first_ns = self._first_ns or at_ns
                if fields.get("part") is not None:
                    self._streams.take_part(number, at_ns, fields["part"], fields)
                elif number <= 1:  # of several answers the first stands for all: they would be mixed piece by piece
                    self._add_text(fields.get("text") or "")
            case "tokens" | "sent" | "answered":
                self._take_told(event.kind, at_ns, fields)
            case "text":
                self._take_text(at_ns, fields)
            case "phase":
                self._phases.append((fields["name"][:100], at_ns))
                self._boundary_ns = at_ns
            case "ended":
                self.end = event
            case kind:
                self._take_beside(kind, fields)

    def _take_beside(self, kind: str, fields: Mapping[str, Any]) -> None:
        """Take what says nothing of time."""
        match kind:
            case "value":
                self._set_value(fields["name"], fields["number"], fields.get("unit") or "")
            case "count":
                name = COUNT + fields["name"]
                n = fields.get("n")
                so_far = self._values[name, True].number if (name, True) in self._values else 0
                self._set_value(name, so_far + (1 if n is None else n), "", ours=True)
            case "fault":
                self.note_fault(fields["kind"], fields.get("note") or "")
            case "output":
                if len(self._outputs) < MOST_NAMED and fields["name"] not in self._outputs:
                    self._outputs.append(fields["name"])
            case "memory":
                if fields.get("device_bytes") is not None:
                    self._device_bytes = max(self._device_bytes or 0, fields["device_bytes"])

    def _take_told(self, kind: str, at_ns: int, fields: Mapping[str, Any]) -> None:
        """Take what is told of an answer as a whole."""
        stream = self._streams[fields.get("stream") or 0]
        if kind == "tokens" and fields.get("part") is not None:
            self._streams.take_part(fields.get("stream") or 0, at_ns, fields["part"], fields)
        elif kind == "tokens":
            stream.read = fields.get("read", stream.read)
            stream.cached = fields.get("cached", stream.cached)
            stream.written = fields.get("written", stream.written)
        elif kind == "sent":
            stream.client = fields.get("client") or 0
            stream.sent_ns, stream.due_ns = at_ns, fields.get("due_ns") or at_ns
            stream.body = fields.get("body")
            self._streams.unit = fields.get("unit") or self._streams.unit
        else:
            stream.ended_ns, stream.tries = at_ns, fields.get("tries") or 1
            stream.code, stream.error = fields.get("code"), fields.get("error")

    def _take_text(self, at_ns: int, fields: Mapping[str, Any]) -> None:
        """Take a text that is no token; one that is a whole answer is counted."""
        number, part, count = fields.get("stream") or 0, fields.get("part"), fields.get("n")
        if part is not None:
            self._streams.take_part(number, at_ns, part, fields)
        if count is not None:
            self._streams.take_whole(number, count, fields.get("unit") or self._streams.unit)
        if number <= 1 and part is None:
            self._add_text(fields["text"])

    def note_fault(self, kind: str, note: str) -> None:
        """Keep something that went wrong without ending the run."""
        if len(self._faults) < MOST_NAMED:
            self._faults.append((kind[:100], note[:1000]))

    def progress(self, stopped_ns: int) -> Progress:
        """Return what the run came to; stopped_ns is when it was stopped, for a run that did not end by itself."""
        if self.began_ns is None:
            return Progress()
        end_ns = self._latest_ns if self.end is not None else max(self._latest_ns, stopped_ns)
        ended = self.end.fields if self.end is not None else {}
        time_s = (end_ns - self.began_ns) * NS
        is_at_once = not self.steps and self._streams.came_at_once
        first_s = None if self._first_ns is None or is_at_once else (self._first_ns - self.began_ns) * NS
        for name, number, unit in self._streams.numbers(time_s, self._reading_since_ns()):
            origin = TOLD if name in (READ_TOKENS, CACHED_TOKENS) else MEASURED
            self._set_value(name, number, unit, ours=True, origin=origin)
        lengths_s = self._phase_lengths(end_ns)
        for name, number, unit in self._numbers_of_stages(dict(lengths_s)):
            self._set_value(name, number, unit, ours=True, origin=MEASURED)
        waited_s = self._streams.first_s()
        return Progress(
            time_s=time_s,
            first_s=first_s if waited_s is None else waited_s,
            step_times_s=array("d", (ns * NS for ns in self._step_times_ns)),
            untimed_steps=len(self._untimed_phases),
            phases_s=lengths_s,
            tokens=self._streams.tokens,
            piece_times_s=self._streams.piece_times_s(self.began_ns),
            requests=self._streams.requests(self.began_ns),
            text=self._text.getvalue(),
            values=tuple(self._values.values()),
            faults=tuple(self._faults),
            outputs=tuple(self._outputs),
            memory_peak_bytes=ended.get("memory_peak_bytes"),
            memory_device_bytes=self._device_bytes,
            cpu_s=ended.get("cpu_s"),
        )

    def _reading_since_ns(self) -> int | None:
        """Return since when the prompt was read: from the phase named so, else from the start, if nothing is loaded."""
        if self._streams.came_at_once:
            return None  # all of it was written by then, too
        named = [at_ns for name, at_ns in self._phases if name == PROMPT_PHASE]
        return named[0] if named else None if self._holds_load else self.began_ns

    def _numbers_of_stages(self, lengths_s: Mapping[str, float]) -> Iterator[tuple[str, float, str]]:
        """Yield (name, number, unit) of phases that have steps, where several do: their steps are not of one kind."""
        if len({self._phases[place][0] for place in set(self._step_phases)}) < 2:
            return
        times_s: dict[str, array[float]] = {}
        for ns, place in zip(self._step_times_ns, self._step_phases, strict=True):
            times_s.setdefault(self._phases[place][0], array("d")).append(ns * NS)
        untimed = Counter(self._phases[place][0] for place in self._untimed_phases)
        for name, of_phase in times_s.items():
            yield PHASE_TIME + name, lengths_s[name], "s"
            yield PHASE_STEPS + name, len(of_phase) + untimed[name], ""
            yield PHASE_STEP_TIME + name, median_of(of_phase), "s"

    def _phase_lengths(self, end_ns: int) -> tuple[tuple[str, float], ...]:
        lengths: dict[str, int] = {}
        starts = [*self._phases, ("", end_ns)]
        for (name, start_ns), (_, next_ns) in pairwise(starts):
            lengths[name] = lengths.get(name, 0) + next_ns - start_ns
        return tuple((name, ns * NS) for name, ns in lengths.items())

    def _add_text(self, piece: str) -> None:
        room = LONGEST_TEXT - self._text_length
        if piece and room > 0:
            self._text_length += self._text.write(piece if len(piece) <= room else piece[:room])

    def _set_value(self, name: str, number: float, unit: str, ours: bool = False, origin: str = TOLD) -> None:
        key = (name[:LONGEST_NAME], ours)
        if key in self._values or len(self._values) < MOST_NAMED:
            self._values[key] = Value(
                name=key[0], number=_as_float(number), unit=unit[:LONGEST_UNIT], ours=ours, origin=origin
            )


def _as_float(number: float) -> float:
    try:
        return float(number)
    except OverflowError:  # a whole number of hundreds of digits
        return math.inf
