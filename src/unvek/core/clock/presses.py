"""A key pressed, told from one held down: a keyboard repeats a key that stays down, which nobody has pressed again."""

from dataclasses import dataclass

# Slower than any keyboard repeats a key, quicker than anybody presses one key again on purpose.
QUIET_S = 0.12


@dataclass(slots=True)
class _Burst:
    began_s: float
    latest_s: float
    count: int = 1


class Presses:
    """Lets presses through QUIET_S late, each with the moment when it came.

    A second press of the same key within QUIET_S is a finger that bounces: one press. Three and more, each so soon
    after the one before, are a key held down: none.
    """

    def __init__(self) -> None:
        self._bursts: dict[str, _Burst] = {}

    def come(self, key: str, at_s: float) -> None:
        burst = self._bursts.get(key)
        if burst is None:
            self._bursts[key] = _Burst(at_s, at_s)
        else:
            burst.count, burst.latest_s = burst.count + 1, at_s

    def through(self, now_s: float) -> list[tuple[str, float]]:
        """Return the presses of which it is known by now that they are some, the earliest first."""
        over = {key: burst for key, burst in self._bursts.items() if now_s - burst.latest_s >= QUIET_S}
        self._bursts = {key: burst for key, burst in self._bursts.items() if key not in over}
        pressed = [(key, burst.began_s) for key, burst in over.items() if burst.count <= 2]
        return sorted(pressed, key=lambda press: press[1])
