"""Keys, read one at a time as they are pressed, from a terminal that is put back as it was."""

import os
import select
import sys
import termios
import tty
from time import sleep
from typing import Any

SKIP, STOP_AFTER, PAUSE, LOG, QUIT = "s", "a", "p", "l", "q"
ESCAPE, BACKSPACE, ENTER = "\x1b", ("\x7f", "\b"), ("\n", "\r")


class Keys:
    """The keyboard of this terminal. Where standard input is none, no key ever comes. Use as a context manager."""

    def __init__(self) -> None:
        self._fd: int | None = None
        self._before: list[Any] = []

    def __enter__(self) -> "Keys":
        if sys.stdin is not None and sys.stdin.isatty():
            self._fd = sys.stdin.fileno()
            self._before = termios.tcgetattr(self._fd)
            tty.setcbreak(self._fd)  # Ctrl-C still is a signal
        return self

    def __exit__(self, *_: object) -> None:
        if self._fd is not None:
            termios.tcsetattr(self._fd, termios.TCSADRAIN, self._before)

    @property
    def there(self) -> bool:
        return self._fd is not None

    def pressed(self, within_s: float) -> str:
        """Wait so long at most, and return the keys that were pressed; none is an empty text."""
        if self._fd is None:
            sleep(within_s)
            return ""
        if not select.select([self._fd], [], [], within_s)[0]:
            return ""
        pressed = os.read(self._fd, 64)
        if not pressed:  # the terminal has gone
            self._fd = None
        if pressed.startswith(ESCAPE.encode()):
            return ESCAPE if len(pressed) == 1 else ""  # an arrow and its like begin so
        return pressed.decode("ascii", "ignore").lower()
