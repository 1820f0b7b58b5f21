"""Practising: what a hand times of something whose length is known. It ends as a model does, after uneven steps."""

import math
from collections.abc import Sequence
from random import Random
from time import sleep

from rich.console import Console
from rich.text import Text

from unvek.show.live.clock_screen import LAP_KEY, QUIT_KEY, lasted
from unvek.show.live.frame import Frame
from unvek.show.live.stamped_keys import StampedKeys, seconds_now

TO_LEARN = 2  # trials at first that count for nothing
LONGEST_WAIT_S = 5.0  # after the end, and before it, beyond which nobody can have meant it
LEAST_STEPS, MOST_STEPS = 4, 8
STEP_S, UNEVEN = (0.25, 0.6), 0.25
TO_DO = ("Press space: something starts, and makes step after step.", "Press space again the moment it is done.")


class Practice:
    """Trials, one after the other. errors_s are what the hand has added to each that counts."""

    def __init__(self, trials: int, rng: Random):
        self._trials, self._rng = trials, rng
        self.errors_s: list[float] = []
        self._learned = 0
        self._news = ""

    def work(self, console: Console) -> bool:
        """Ask for trials until there are enough; False where somebody ends it before."""
        with StampedKeys() as keys, Frame(console) as frame:
            while len(self.errors_s) < self._trials:
                began_s = self._began(keys, frame)
                if began_s is None:
                    return False
                self._hear(self._trial(keys, frame, began_s))
        return True

    def _began(self, keys: StampedKeys, frame: Frame) -> float | None:
        """Wait for the press that starts a trial; None where somebody ends it."""
        self._draw(frame, Text("ready", style="dim"))
        while keys.there:
            for at_s, key in keys.came(0.2):
                if key == LAP_KEY:
                    return at_s
                if key == QUIT_KEY:
                    return None
        return None

    def _trial(self, keys: StampedKeys, frame: Frame, began_s: float) -> float | None:
        """Make the steps, and return how much longer the hand timed them than they took; None where it did not."""
        steps = self._rng.randint(LEAST_STEPS, MOST_STEPS)
        usual_s = self._rng.uniform(*STEP_S)
        due_s = began_s
        for step in range(steps):
            self._draw(frame, _steps(step, steps))
            due_s += usual_s * math.exp(self._rng.gauss(0.0, UNEVEN))
            sleep(max(0.0, due_s - seconds_now()))
        self._draw(frame, Text("■ " * steps + " done", style="bold"))
        ended_s = seconds_now()
        pressed = [at_s for at_s, key in keys.came(LONGEST_WAIT_S) if key == LAP_KEY]
        return pressed[0] - ended_s if pressed and abs(pressed[0] - ended_s) <= LONGEST_WAIT_S else None

    def _hear(self, error_s: float | None) -> None:
        if error_s is None:
            self._news = "no press: once more"
            return
        way = "late" if error_s > 0 else "early"
        self._news = f"{lasted(abs(error_s))} {way}"
        if self._learned < TO_LEARN:
            self._learned += 1
            self._news += ", to get used to it"
        else:
            self.errors_s.append(error_s)

    def _draw(self, frame: Frame, middle: Text) -> None:
        width, height = frame.size()
        count = f"{len(self.errors_s)} of {self._trials} trials"
        lines: Sequence[Text] = (
            Text("Practising: how far is your hand off?", style="bold"), *(Text(words, style="dim") for words in TO_DO),
            Text(), middle, Text(), Text(self._news), Text(count, style="dim"), Text(),
            Text("space press   q end", style="dim"),
        )  # fmt: skip
        for line in lines:
            line.truncate(width, overflow="ellipsis")
        frame.draw(lines[:height], (width, height))


def _steps(done: int, of: int) -> Text:
    return Text("■ " * done + "□ " * (of - done))
