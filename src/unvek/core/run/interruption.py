"""Ctrl-C and the signals that ask for an end: noted at once, acted on by the engine between two waits."""

import signal
from collections.abc import Iterator
from contextlib import contextmanager
from time import monotonic
from types import FrameType

TWICE_WITHIN_S = 2.0


class Interruption:
    """What the user has asked for: one Ctrl-C skips the run, a second within two seconds stops everything."""

    def __init__(self) -> None:
        self.stop = False
        self._skip = False
        self._asked_at_s = -TWICE_WITHIN_S

    def skip_asked(self) -> bool:
        """Whether the run in progress is to be skipped; asking clears it."""
        asked, self._skip = self._skip, False
        return asked

    @contextmanager
    def watching(self) -> Iterator["Interruption"]:
        """Take SIGINT, SIGTERM and SIGHUP for as long as this lasts. For the main thread only."""
        handlers = {signal.SIGINT: self._on_ctrl_c, signal.SIGTERM: self._on_end, signal.SIGHUP: self._on_end}
        before = {number: signal.signal(number, handler) for number, handler in handlers.items()}
        try:
            yield self
        finally:
            for number, handler in before.items():
                signal.signal(number, handler)

    def _on_ctrl_c(self, number: int, frame: FrameType | None) -> None:
        now_s = monotonic()
        if now_s - self._asked_at_s < TWICE_WITHIN_S:
            self.stop = True
        self._asked_at_s = now_s
        self._skip = True

    def _on_end(self, number: int, frame: FrameType | None) -> None:
        self.stop = True
