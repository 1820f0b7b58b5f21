"""The plain view: a line a run, for pipes, files and terminals that want no drawing."""

from collections.abc import Mapping
from typing import Any, TextIO

from unvek.core.run.record import FINISHED
from unvek.core.units import counted, duration_words, range_words
from unvek.show.figures import settings_words
from unvek.show.terminal import clean


class PlainLines:
    """Hears the journal's entries and writes them as lines."""

    def __init__(self, stream: TextIO):
        self._stream: TextIO | None = stream
        self._done = self._planned = 0

    def hear_written(self, entry: Mapping[str, Any]) -> None:
        """Hear an entry that was read from a journal: one that lacks what it should have is passed over."""
        try:
            self.hear(entry)
        except (KeyError, TypeError, ValueError, AttributeError):
            return

    def hear(self, entry: Mapping[str, Any]) -> None:
        match entry["entry"]:
            case "plan":
                self._planned = entry["planned"]
                self._done = self._planned - sum(entry["pending"].values())
                done = f", {self._done} of them done before" if self._done else ""
                planned = f"{counted(self._planned, 'run')} in {counted(entry['rounds'], 'round')}"
                left_s = entry.get("left_s")
                left = f"; {range_words(*left_s)} to go" if left_s else ""
                self._write(f"{clean(entry['title'])}: {planned}{done}{left}")
            case "unloaded":
                self._write(f"{clean(entry['variant'])} could not be loaded: {clean(entry['error'])}")
            case "paused":
                self._write("paused; the runs go on when they are asked to")
            case "going on":
                self._write("going on")
            case "kept":
                self._kept(entry)

    def _kept(self, entry: Mapping[str, Any]) -> None:
        if entry["warm_up"]:
            place = "warm-up".rjust(2 * len(str(self._planned)) + 1)
        else:
            self._done += 1
            place = f"{self._done:>{len(str(self._planned))}}/{self._planned}"
        words = [
            f"{place}  {clean(entry['variant'])}  {', '.join(_item(entry))}",
            f"round {entry['round']}.{entry['repeat']}",
        ]
        if entry["status"] == FINISHED:
            made = [counted(entry[f"{name}s"], name) for name in ("step", "token") if entry.get(f"{name}s")]
            words.append(", ".join([duration_words(entry["time_s"] or 0.0), *made]))
        else:
            words.append(f"{entry['status']}: {clean(entry['error'])}")
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


def _item(entry: Mapping[str, Any]) -> list[str]:
    """What the run is of, whatever the variant."""
    varied = settings_words(entry.get("varied") or {})
    return [clean(entry["task"]), f"seed {entry['seed']}", *([varied] if varied else [])]
