"""The live view's process, beside the engine's: it reads the journal and draws."""

import os
import subprocess
import sys
import termios
from pathlib import Path
from typing import Any

ENDS_WITHIN_S = 3.0


def draws() -> bool:
    """Whether standard output is a terminal that can be drawn on."""
    return sys.stdout.isatty() and os.environ.get("TERM") != "dumb"


class LiveView:
    """The process that draws. The engine knows nothing of it."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[bytes] | None = None
        self._terminal: list[Any] | None = None

    def start(self, journal: Path) -> None:
        keyboard = sys.stdin if sys.stdin is not None and sys.stdin.isatty() else None
        self._terminal = termios.tcgetattr(keyboard) if keyboard is not None else None
        self._process = subprocess.Popen(
            [sys.executable, "-m", "unvek.show.live", str(journal)], stdin=keyboard or subprocess.DEVNULL
        )

    def end(self) -> None:
        """Wait for the view to see the end of the journal; a view that does not is ended, and the terminal mended."""
        if self._process is None:
            return
        try:
            self._process.wait(ENDS_WITHIN_S)
        except subprocess.TimeoutExpired:
            self._process.terminate()
            self._process.wait()
        if self._terminal is not None:
            try:
                termios.tcsetattr(sys.stdin, termios.TCSADRAIN, self._terminal)
            except (termios.error, OSError):
                pass  # the terminal has gone
