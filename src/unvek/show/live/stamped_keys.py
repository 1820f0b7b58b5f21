"""Keys with the moment at which each came: read beside whatever is drawn or written meanwhile."""

import time
from queue import Empty, SimpleQueue
from threading import Event, Thread

from unvek.show.live.keys import Keys

# It goes on while the machine sleeps, where the system has such a clock.
ALWAYS_ON = getattr(time, "CLOCK_BOOTTIME", time.CLOCK_MONOTONIC)
LOOKS_EVERY_S = 0.1


def seconds_now() -> float:
    """Return seconds since some moment in the past, of a clock that nobody sets and no sleep of the machine stops."""
    return time.clock_gettime(ALWAYS_ON)


class StampedKeys:
    """The keyboard, read by a thread of its own. Use as a context manager."""

    def __init__(self) -> None:
        self._keys = Keys()
        self._came: SimpleQueue[tuple[float, str]] = SimpleQueue()
        self._over = Event()
        self._thread = Thread(target=self._read, daemon=True)

    def __enter__(self) -> "StampedKeys":
        self._keys.__enter__()
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._over.set()
        self._thread.join()
        self._keys.__exit__()

    @property
    def there(self) -> bool:
        return self._keys.there

    def came(self, within_s: float) -> list[tuple[float, str]]:
        """Wait so long at most for keys, and return each with the second of `seconds_now` at which it came."""
        found = []
        try:
            found.append(self._came.get(timeout=within_s))
            while True:
                found.append(self._came.get_nowait())
        except Empty:
            return found

    def _read(self) -> None:
        while not self._over.is_set() and self._keys.there:
            pressed = self._keys.pressed(LOOKS_EVERY_S)
            at_s = seconds_now()
            for key in pressed:
                self._came.put((at_s, key))
