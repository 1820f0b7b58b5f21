"""The plain view: a line a run, for pipes, files and terminals that want no drawing."""

from typing import TextIO

from unvek.core.plain_text import clean
from unvek.core.run.events.record import FINISHED, INTERRUPTED
from unvek.core.run.journal.entries import Entry, GoesOn, NotLoaded, Paused, PlanBegins, RunKept
from unvek.core.units import counted, duration_words, range_words
from unvek.show.terminal.figures import item_words


class PlainLines:
    """Hears the journal's entries and writes them as lines."""

    def __init__(self, stream: TextIO):
        self._stream: TextIO | None = stream
        self._done = self._planned = 0

    def hear(self, entry: Entry) -> None:
        match entry:
            case PlanBegins():
                self._planned, self._done = entry.planned, entry.done
                done = f", {self._done} of them done before" if self._done else ""
                planned = f"{counted(self._planned, 'run')} in {counted(entry.rounds, 'round')}"
                left = f"; {range_words(*entry.left_s)} to go" if entry.left_s else ""
                self._write(f"{clean(entry.title)}: {planned}{done}{left}")
            case NotLoaded():
                self._write(f"{clean(entry.variant)} could not be loaded: {clean(entry.error)}")
            case Paused():
                self._write("paused; the runs go on when they are asked to")
            case GoesOn():
                self._write("going on")
            case RunKept():
                self._kept(entry)

    def _kept(self, entry: RunKept) -> None:
        if entry.warm_up or entry.status == INTERRUPTED:
            place = ("warm-up" if entry.warm_up else "-").rjust(2 * len(str(self._planned)) + 1)
        else:
            self._done += 1
            place = f"{self._done:>{len(str(self._planned))}}/{self._planned}"
        words = [
            f"{place}  {clean(entry.variant)}  {item_words(entry.task, entry.seed, entry.varied)}",
            f"round {entry.round}.{entry.repeat}",
        ]
        if entry.status == FINISHED:
            counts = (("step", entry.steps), ("token", entry.tokens))
            made = [counted(number, name) for name, number in counts if number]
            words.append(", ".join([duration_words(entry.time_s or 0.0), *made]))
        else:
            words.append(f"{clean(entry.status)}: {clean(entry.error)}")
        self._write("  ".join(words))

    def _write(self, line: str) -> None:
        """Write a line. When nobody can read any more (a closed terminal, an ended pipe), the runs matter and go on."""
        if self._stream is None:
            return
        try:
            self._stream.write(line + "\n")
            self._stream.flush()
        except OSError:
            self._stream = None
