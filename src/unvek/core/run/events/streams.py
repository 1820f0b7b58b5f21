"""The streams of a run: when each piece of an answer came, and what that comes to.

A run of a script or a program writes one stream; a run of several clients has one for each request.
"""

from array import array
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from io import StringIO
from itertools import pairwise
from statistics import median
from typing import Any

from unvek.core.measures.catalogue import CACHED_TOKENS, OUTPUT, READ_TOKENS
from unvek.core.plan.runners import TOKENS
from unvek.core.run.events.middles import InOrder
from unvek.core.stats.quantiles import quantile

NS = 1e-9
MOST_PIECES = 2_000_000  # stamps kept of one run
MOST_PARTS, LONGEST_NAME = 20, 40  # texts of one answer
LONGEST_PART = 2**20  # characters kept of one


@dataclass(frozen=True, slots=True, kw_only=True)
class RequestPart:
    """One text of an answer that has several: how much it is, when it began, and of the first request what it says."""

    name: str
    count: int
    unit: str
    first_s: float | None = None
    text: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Request:
    """One request of a run. Times in seconds from the run's start; due_s is when it should have been sent.

    body is what the first request of a run was sent with.
    """

    client: int
    due_s: float
    sent_s: float
    first_s: float | None
    ended_s: float | None
    tokens: int
    code: int | None
    tries: int
    error: str | None
    body: str | None = None
    parts: tuple[RequestPart, ...] = ()

    @property
    def failed(self) -> bool:
        return self.error is not None or self.ended_s is None


@dataclass(slots=True)
class Part:
    """One text beside the answer as it comes: its pieces counted, or its tokens as told."""

    count: int = 0
    written: int | None = None
    first_ns: int | None = None
    text: StringIO = field(default_factory=StringIO)

    def take(self, at_ns: int, fields: Mapping[str, Any], keeps_text: bool) -> None:
        """Take a piece of it, all of it, or how many tokens it had."""
        if fields.get("written") is not None:
            self.written = fields["written"]
            return
        count = fields.get("n")
        self.count += 1 if count is None else count
        self.first_ns = self.first_ns or at_ns
        if keeps_text and self.text.tell() < LONGEST_PART:
            self.text.write((fields.get("text") or "")[:LONGEST_PART])


@dataclass(slots=True)
class Stream:
    """One stream as it comes. Without a request it is the run's own answer."""

    pieces_ns: "array[int]" = field(default_factory=lambda: array("q"))
    first_ns: int | None = None
    latest_ns: int = 0
    first_count: int = 0
    count: int = 0
    read: int | None = None  # tokens of the question, as told
    cached: int | None = None  # of these so many that were known from earlier questions, and not read again
    written: int | None = None  # tokens of the answer, as told
    client: int | None = None
    due_ns: int = 0
    sent_ns: int = 0
    ended_ns: int | None = None
    code: int | None = None
    tries: int = 1
    error: str | None = None
    body: str | None = None
    parts: dict[str, Part] = field(default_factory=dict)

    @property
    def tokens(self) -> int:
        return self.count if self.written is None else self.written

    @property
    def per_s(self) -> float | None:
        """Tokens a second after the first piece; None where nothing came after it."""
        if self.first_ns is None or self.latest_ns <= self.first_ns:
            return None
        after_first = self.count - self.first_count
        if self.written is not None and self.written != self.count:
            # The pieces are not the tokens: those of the first piece are not known, and taken for one.
            after_first = self.written - 1
        return after_first / ((self.latest_ns - self.first_ns) * NS)

    def read_per_s(self, since_ns: int | None) -> float | None:
        """Tokens of the question read in a second, from then (a request's is from when it was due) to the first piece.

        Those that were known already are none. None where one of the two is not known, or where most were known: the
        time is then that of something else.
        """
        since_ns = since_ns if self.client is None else self.due_ns
        known = self.cached or 0
        fresh = (self.read or 0) - known
        if since_ns is None or self.first_ns is None or fresh <= known or self.first_ns <= since_ns:
            return None
        return fresh / ((self.first_ns - since_ns) * NS)

    def as_request(self, began_ns: int, unit: str) -> Request:
        def seconds(at_ns: int | None) -> float | None:
            return None if at_ns is None else (at_ns - began_ns) * NS

        return Request(
            client=self.client or 0,
            due_s=(self.due_ns - began_ns) * NS,
            sent_s=(self.sent_ns - began_ns) * NS,
            first_s=seconds(self.first_ns),
            ended_s=seconds(self.ended_ns),
            tokens=self.tokens,
            code=self.code,
            tries=self.tries,
            error=self.error,
            body=self.body,
            parts=tuple(
                RequestPart(
                    name=name, count=part.count if part.written is None else part.written,
                    unit=unit if part.written is None else TOKENS, first_s=seconds(part.first_ns),
                    text=part.text.getvalue(),
                )
                for name, part in self.parts.items()
            ),
        )  # fmt: skip


class Streams:
    """All streams of one run, by their number."""

    def __init__(self) -> None:
        self._streams: dict[int, Stream] = {}
        self._pieces = 0
        self.unit = TOKENS

    def __getitem__(self, number: int) -> Stream:
        return self._streams.setdefault(number, Stream())

    def take_piece(self, number: int, at_ns: int, count: int | None, unit: str | None) -> None:
        """Take a piece of so many tokens (one, if nothing is said), or words, or characters: a hot path."""
        stream = self._streams.get(number)
        if stream is None:
            stream = self[number]
        if count is None:
            count = 1
        if unit is not None:
            self.unit = unit
        if stream.first_ns is None:
            stream.first_ns, stream.first_count = at_ns, count
        stream.latest_ns = at_ns
        stream.count += count
        self._pieces += 1
        if self._pieces <= MOST_PIECES:
            stream.pieces_ns.append(at_ns)

    def take_whole(self, number: int, count: int, unit: str) -> None:
        """Take a text that has come at once: it has no first piece."""
        self.unit = unit
        self[number].count += count

    def take_part(self, number: int, at_ns: int, name: str, fields: Mapping[str, Any]) -> None:
        """Take what is said of one text beside the answer."""
        parts = self[number].parts
        if name in parts or len(parts) < MOST_PARTS:
            parts.setdefault(name[:LONGEST_NAME], Part()).take(at_ns, fields, keeps_text=number <= 1)

    @property
    def all(self) -> Sequence[Stream]:
        return tuple(self._streams.values())

    @property
    def came_at_once(self) -> bool:
        """Whether the run's own answer came in one piece of several tokens or words: its first is not known."""
        own = self._streams.get(0)
        return own is not None and own.latest_ns == own.first_ns and own.tokens > 1

    @property
    def count(self) -> int:
        return sum(stream.tokens for stream in self.all)

    @property
    def tokens(self) -> int:
        """The tokens written; 0 where words or characters were counted and nobody told the tokens."""
        if self.unit == TOKENS:
            return self.count
        return sum(stream.written or 0 for stream in self.all)

    @property
    def counted_in(self) -> str:
        """What the pieces' counts are of: tokens too where these were told at the end."""
        return TOKENS if any(stream.written is not None for stream in self.all) else self.unit

    def requests(self, began_ns: int) -> tuple[Request, ...]:
        return tuple(stream.as_request(began_ns, self.unit) for stream in self.all if stream.client is not None)

    def piece_times_s(self, began_ns: int) -> Sequence[float]:
        """Return when each piece came, in seconds from the run's start, stream after stream."""
        return array("d", ((at_ns - began_ns) * NS for stream in self.all for at_ns in stream.pieces_ns))

    def first_s(self) -> float | None:
        """Return the seconds from when a request was due to its first piece: the median over the requests."""
        waits = [(s.first_ns - s.due_ns) * NS for s in self.all if s.client is not None and s.first_ns is not None]
        return median(waits) if waits else None

    def numbers(self, time_s: float, since_ns: int | None) -> Iterable[tuple[str, float, str]]:
        """Yield (name, number, unit) of what the streams come to in a run of so many seconds.

        since_ns is when the run's own question began to be read, where that is known.
        """
        rates = [rate for stream in self.all if (rate := stream.per_s) is not None]
        unit = self.counted_in
        if rates:
            yield f"rate.{unit}", median(rates), "/s"
        gaps = InOrder(array("d", self._gaps_s()))
        if gaps:
            yield "gap.median", gaps.median, "s"
            yield "gap.p99", quantile(gaps, 0.99), "s"
        if unit != TOKENS and self.count:
            yield f"output.{unit}", self.count, ""
        yield from self._numbers_of_parts()
        read = [stream.read for stream in self.all if stream.read is not None]
        if read:
            yield READ_TOKENS, sum(read), ""
        cached = [stream.cached for stream in self.all if stream.cached is not None]
        if cached:
            yield CACHED_TOKENS, sum(cached), ""
        read_rates = [rate for stream in self.all if (rate := stream.read_per_s(since_ns)) is not None]
        if read_rates:
            yield "rate.input", median(read_rates), "/s"
        asked = [stream for stream in self.all if stream.client is not None]
        if asked:
            yield from _numbers_of_requests(asked, unit, sum(stream.tokens for stream in asked), time_s)

    def _numbers_of_parts(self) -> Iterable[tuple[str, float, str]]:
        for name in dict.fromkeys(name for stream in self.all for name in stream.parts):
            parts = [stream.parts[name] for stream in self.all if name in stream.parts]
            told = [part.written for part in parts if part.written is not None]
            unit = TOKENS if told else self.unit
            yield f"{OUTPUT}{name}.{unit}", sum(told) if told else sum(part.count for part in parts), ""

    def _gaps_s(self) -> Iterable[float]:
        for stream in self.all:
            times = stream.pieces_ns
            yield from ((later - earlier) * NS for earlier, later in pairwise(times))


def _numbers_of_requests(
    asked: Sequence[Stream], unit: str, count: int, time_s: float
) -> Iterable[tuple[str, float, str]]:
    answered_ns = sorted(s.ended_ns - s.due_ns for s in asked if s.ended_ns is not None and s.error is None)
    yield "requests", len(asked), ""
    yield "requests.failed", (len(asked) - len(answered_ns)) / len(asked), ""
    retries = sum(stream.tries - 1 for stream in asked)
    if retries:
        yield "count.retries", retries, ""
    if len(asked) > 1 and answered_ns:
        yield "request.time", median(answered_ns) * NS, "s"
        yield "request.time.p99", quantile(answered_ns, 0.99) * NS, "s"
    if time_s > 0:  # of one request too: a curve over clients begins there
        yield f"rate.{unit}.sum", count / time_s, "/s"


def as_rows(requests: Sequence[Request]) -> list[dict[str, Any]]:
    """Return requests as JSON objects."""
    return [{name: getattr(request, name) for name in Request.__slots__} for request in requests]
