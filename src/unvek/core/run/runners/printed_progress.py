"""What a program prints -> events: steps from the common forms of progress, phases and values by patterns.

`3/20` counts as progress where the line says so too: a bar, a percentage, `it/s` or `s/it`, a word such as "step", or
where the line begins with it. A line that is drawn over itself (`\\r`) is read each time. Where several steps are
told at once, which happens when a bar is drawn more seldom than steps are made, they share the time evenly.
"""

import re
from collections.abc import Iterator

from unvek.core.measures.catalogue import CACHED_TOKENS, READ_TOKENS
from unvek.core.plan.runners import CommandRunner, ValuePattern
from unvek.core.run.events.event import Event, made_event
from unvek.core.run.events.recording import UNNAMED_PHASE
from unvek.core.run.runners.control_codes import PrintedLines

COMMON = re.compile(r"(?<![\w./:,-])(?P<done>\d{1,9}) ?(?:/|of) ?(?P<of>\d{1,9})(?![\w/-]|[.,:]\d)", re.IGNORECASE)
SIGNS = re.compile(
    r"%|\bit/s\b|\bs/it\b|[#=\u2588-\u258f\u2501\u2500>*]{2}|[-.]{4}|\|"
    r"|\b(?:steps?|iter(?:ation)?s?|epochs?|batch(?:es)?|frames?|sampling|progress)\b",
    re.IGNORECASE,
)
PREPARING = re.compile(r"load|download|fetch|read|initiali[sz]|compil|convert", re.IGNORECASE)
COUNTING = {
    "step",
    "steps",
    "iter",
    "iteration",
    "iterations",
    "epoch",
    "epochs",
    "batch",
    "batches",
    "frame",
    "frames",
    "progress",
}  # words that name what is counted, not what is being done
LABEL = re.compile(r"[^\W\d][\w -]*")
MOST_AT_ONCE = 100_000  # steps told by one line; more is no progress
TOKENS_VALUES = {"output.tokens": "written", READ_TOKENS: "read", CACHED_TOKENS: "cached"}  # count as tokens
NUMBER = re.compile(r"[-+]?[0-9][0-9,_]*(?:\.[0-9]+)?(?:[eE][-+]?[0-9]+)?|[-+]?\.[0-9]+")


class Bar:
    """The steps that have been told of one count, such as `3/20`."""

    def __init__(self, began_ns: int) -> None:
        self._latest_ns = began_ns
        self._has_begun = False  # whether it is known when its steps began
        self._of: int | None = None
        self._done = 0
        self._counts = True

    def take(self, done: int, of: int | None, label: str, at_ns: int) -> Iterator[Event]:
        """Yield the events that one telling makes.

        A bar that shows 0 begins then. One that shows its first step has begun unseen: with the one before it, or, of a
        program's first bar, nobody knows when, since that loads first; then these steps have no time.
        """
        if of != self._of or done < self._done:
            self._of, self._done = of, 0
            self._counts = not PREPARING.search(label)
            if label and label.lower() not in COUNTING:
                yield made_event("phase", at_ns if done == 0 else self._latest_ns, name=label[:100])
        fresh = done - self._done
        if done == 0:
            self.begin(at_ns)
        if 0 < fresh <= MOST_AT_ONCE:
            if self._counts:
                yield from self._steps(fresh, of, at_ns)
            self._done = done
            self.begin(at_ns)

    def begin(self, at_ns: int) -> None:
        """Something has begun, or ended: what is told next lasts from then."""
        self._latest_ns, self._has_begun = at_ns, True

    def _steps(self, fresh: int, of: int | None, at_ns: int) -> Iterator[Event]:
        known = {} if of is None else {"of": of}
        if not self._has_begun:
            yield from (made_event("step", at_ns, timed=False, **known) for _ in range(fresh))
            return
        each_ns = (at_ns - self._latest_ns) / fresh
        for number in range(1, fresh + 1):
            stamp_ns = at_ns if number == fresh else int(self._latest_ns + number * each_ns)
            yield made_event("step", stamp_ns, **known)


class PrintedProgress:
    """Reads what one program prints during one run."""

    def __init__(self, runner: CommandRunner, began_ns: int):
        self._lines = PrintedLines()
        self._bar = Bar(began_ns)
        self._phase = UNNAMED_PHASE
        self._steps = re.compile(runner.steps) if runner.steps is not None else None
        self._phases = [(name, re.compile(pattern)) for name, pattern in runner.phases.items()]
        self._values = [(name, re.compile(value.pattern), value) for name, value in runner.values.items()]

    def feed(self, data: bytes, at_ns: int, final: bool = False) -> Iterator[Event]:
        """Yield the events that newly printed bytes make."""
        for line in self._lines.feed(data, final):
            yield from self._of_steps(line, at_ns)
            yield from self._of_phases(line, at_ns)
            yield from self._of_values(line, at_ns)
        # A bar that is drawn over itself ends its line only when it is drawn the next time: it is read at once.
        if self._lines.line:
            yield from self._of_steps(self._lines.line, at_ns, unfinished=True)

    def _of_steps(self, line: str, at_ns: int, unfinished: bool = False) -> Iterator[Event]:
        found = _last_match(self._steps or COMMON, line)
        if found is None or (unfinished and found.end() == len(line)):
            return  # the number at the end may have another digit
        groups = found.groupdict()
        done, of = _whole(groups.get("done")), _whole(groups.get("of"))
        if done is None or (of is not None and not (of > 0 and done <= of)):
            return
        if self._steps is None and not _says_progress(line, found):
            return
        yield from self._bar.take(done, of, _label(line[: found.start()]) if self._steps is None else "", at_ns)

    def _of_phases(self, line: str, at_ns: int) -> Iterator[Event]:
        for name, pattern in self._phases:
            found = pattern.search(line)
            if found is None:
                continue
            groups = found.groupdict()
            seconds, name = _number(groups.get("seconds")), (groups.get("name") or name)[:100]
            if seconds is None or not 0 <= seconds < 1e6:
                self._phase = name
                self._bar.begin(at_ns)
            else:  # it is over, and lasted so long
                yield made_event("phase", max(0, at_ns - int(seconds * 1e9)), name=name)
            yield made_event("phase", at_ns, name=self._phase)

    def _of_values(self, line: str, at_ns: int) -> Iterator[Event]:
        for name, pattern, value in self._values:
            found = pattern.search(line)
            number = _number(found[1]) if found is not None else None
            if number is not None:
                yield _value_event(name, number, value, at_ns)


def _value_event(name: str, number: float, value: ValuePattern, at_ns: int) -> Event:
    if name in TOKENS_VALUES and 0 <= number < 1e12:
        return made_event("tokens", at_ns, **{TOKENS_VALUES[name]: int(number)})
    return made_event("value", at_ns, name=name, number=number, unit=value.unit)


def _last_match(pattern: re.Pattern[str], line: str) -> re.Match[str] | None:
    matches = list(pattern.finditer(line))
    return matches[-1] if matches else None


def _says_progress(line: str, found: re.Match[str]) -> bool:
    return (
        not line[: found.start()].strip(" [(<") or SIGNS.search(line[: found.start()] + line[found.end() :]) is not None
    )


def _label(before: str) -> str:
    """Return the words that stand before a bar: they name what is being done."""
    words = LABEL.search(before)
    return words[0].strip() if words else ""


def _whole(text: str | None) -> int | None:
    return int(text) if text is not None and text.isdecimal() and len(text) < 10 else None


def _number(text: str | None) -> float | None:
    found = NUMBER.search(text[:60]) if text else None
    if found is None:
        return None
    number = float(found[0].replace(",", "").replace("_", ""))
    return number if abs(number) < 1e300 else None
