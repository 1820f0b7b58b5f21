"""What the user asks of the engine while it works: by Ctrl-C, by signals, or by a key in the view of somebody watching.

It is noted at once, and acted on by the engine between two waits.
"""

import signal
from collections.abc import Iterator
from contextlib import contextmanager
from time import monotonic
from types import FrameType

from unvek.core.run.journal.controls import GO_ON, PAUSE, SKIP, STOP_AFTER, ControlReader

TWICE_WITHIN_S = 2.0


class Interruption:
    """One Ctrl-C skips the run in progress, a second within two seconds stops everything. `stop` can't be undone."""

    def __init__(self, keep_going: bool = False) -> None:
        self.stop = False
        self.stop_after = False  # when the run in progress is over
        self.paused = False
        self._keep_going = keep_going
        self._skip = False
        self._asked_at_s = -TWICE_WITHIN_S
        self._controls: ControlReader | None = None

    def no_more(self) -> bool:
        """Whether no further run is to begin."""
        self._hear()
        return self.stop or self.stop_after

    def skip_asked(self) -> bool:
        """Whether the run in progress is to be skipped; asking clears it."""
        self._hear()
        asked, self._skip = self._skip, False
        return asked

    def listen(self, controls: ControlReader) -> None:
        """From here on hear what watchers ask too."""
        self._controls = controls

    def _hear(self) -> None:
        for what in self._controls.new() if self._controls is not None else ():
            self._skip |= what == SKIP
            self.stop_after |= what == STOP_AFTER
            self.paused = (self.paused or what == PAUSE) and what != GO_ON

    @contextmanager
    def watching(self) -> Iterator["Interruption"]:
        """Take SIGINT, SIGTERM and SIGHUP for as long as this lasts. For the main thread only.

        SIGHUP, which a closing terminal sends, is ignored where the runs are to keep going.
        """
        on_hang_up = signal.SIG_IGN if self._keep_going else self._on_end
        handlers = {signal.SIGINT: self._on_ctrl_c, signal.SIGTERM: self._on_end, signal.SIGHUP: on_hang_up}
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
