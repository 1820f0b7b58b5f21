"""A clock at work: keys become acts, each of which is kept before it is shown."""

from collections.abc import Callable, Mapping

from rich.console import Console

from unvek.core.clock.acts import (
    ANEW,
    BACK,
    COUNTED,
    FAILED,
    FORESEEN,
    LAP,
    WARM_UP,
    Act,
)
from unvek.core.clock.lanes import Clock
from unvek.core.clock.presses import Presses
from unvek.core.units import parse_written_time
from unvek.show.live.clock_screen import (
    ANEW_KEY,
    BACK_KEY,
    FAILED_KEY,
    FORESEEN_KEY,
    LAP_KEY,
    QUIT_KEY,
    WARM_UP_KEY,
    ClockShown,
    draw_clock,
    lasted,
    said_words,
)
from unvek.show.live.frame import Frame
from unvek.show.live.keys import BACKSPACE, ENTER, ESCAPE
from unvek.show.live.stamped_keys import StampedKeys, seconds_now

DRAW_EVERY_S = 0.1
LONGEST_ENTRY = 20
OF_MARKED_LANE = {FAILED_KEY: FAILED, WARM_UP_KEY: WARM_UP, ANEW_KEY: ANEW}
NO_LANE_YET = "press a lane's number first"


class ClockView:
    """Shows a clock on a terminal and hears its keys. keep is called with each act, and has it safe when it returns."""

    def __init__(self, clock: Clock, counting: Mapping[str, str], measured_hand: bool, keep: Callable[[Act], None]):
        self._shown = ClockShown(clock=clock, counting=dict(counting), measured_hand=measured_hand)
        self._keep = keep
        self._presses = Presses()
        self._began_s = seconds_now()
        self._ends = False
        self._asked_to_end = False

    def work(self, console: Console) -> None:
        """Draw and hear keys until somebody ends it, or the terminal goes."""
        with StampedKeys() as keys, Frame(console) as frame:
            while keys.there and not self._ends:
                size = frame.size()
                frame.draw(draw_clock(self._shown, *size, seconds_now() - self._began_s), size)
                for at_s, key in keys.came(DRAW_EVERY_S):
                    self._come(key, at_s - self._began_s)
                for key, at_s in self._presses.through(seconds_now() - self._began_s):
                    self._press(key, at_s)

    def _come(self, key: str, at_s: float) -> None:
        if self._shown.entry is not None:  # what is typed may well have the same digit twice
            self._type(key, at_s)
        else:
            self._presses.come(key, at_s)

    def _press(self, key: str, at_s: float) -> None:
        lanes, setup = self._shown.clock.lanes, self._shown.clock.setup
        asked_to_end, self._asked_to_end = self._asked_to_end, False
        if key == QUIT_KEY:
            self._end(asked_to_end)
        elif key == BACK_KEY:
            self._say(Act(do=BACK, lane="", at_s=at_s), "taken back", "there is nothing to take back")
        elif key.isdigit():
            if 0 < int(key) <= len(setup.lanes):
                lane = setup.lanes[int(key) - 1]
                self._act(lane, lanes.next_of(lane), at_s)
        elif lanes.last is None:
            self._shown.news = NO_LANE_YET
        elif key == LAP_KEY and not setup.laps:
            self._act(self._lapped(lanes.last), LAP, at_s)
        elif key in OF_MARKED_LANE:
            self._act(lanes.last, OF_MARKED_LANE[key], at_s)
        elif key in self._shown.counting:
            self._act(lanes.last, COUNTED, at_s, name=self._shown.counting[key])
        elif key == FORESEEN_KEY:
            self._ask_what_was_foreseen()

    def _lapped(self, marked: str) -> str:
        """The lane that a lap is of: the marked one, or the only one that runs."""
        running = [lane for lane in self._shown.clock.setup.lanes if self._shown.clock.lanes.running(lane)]
        return running[0] if len(running) == 1 else marked

    def _end(self, asked_before: bool) -> None:
        running = [lane for lane in self._shown.clock.setup.lanes if self._shown.clock.lanes.running(lane)]
        if not running or asked_before:
            self._ends = True
        else:
            self._asked_to_end = True
            self._shown.news = f"q again ends without the time of what still runs: {', '.join(running)}"

    def _act(self, lane: str, do: str, at_s: float, name: str = "") -> None:
        self._say(Act(do=do, lane=lane, at_s=at_s, name=name), "", f"{lane} does not run")

    def _say(self, act: Act, did: str, fits_not: str) -> None:
        clock = self._shown.clock
        if not clock.take(act):
            self._shown.news = fits_not
            return
        self._keep(act)
        self._shown.news = did or said_words(clock, act.lane, act.name or act.do)

    # ---- what another program has foreseen, as it is typed ----

    def _ask_what_was_foreseen(self) -> None:
        """Ask only while nothing runs: what is typed would keep a lane from being stopped."""
        if self._shown.clock.lanes.under_way:
            self._shown.news = "that is noted when nothing runs; --foreseen LANE=TIME says it beforehand"
        else:
            self._shown.entry = ""

    def _type(self, key: str, at_s: float) -> None:
        entry, lane = self._shown.entry or "", self._shown.clock.lanes.last
        if key == ESCAPE:
            self._shown.entry = None
        elif key in BACKSPACE:
            self._shown.entry = entry[:-1]
        elif key not in ENTER:
            self._shown.entry = (entry + key)[:LONGEST_ENTRY] if key.isprintable() else entry
        elif lane is not None:
            self._shown.entry = None
            try:
                act = Act(do=FORESEEN, lane=lane, at_s=at_s, value=time_of(entry))
                act.check()
            except ValueError:
                self._shown.news = f"{entry!r} is no time; nothing was noted"
            else:
                self._say(act, f"{lane}: {lasted(act.value or 0.0)} was foreseen", "no run of it yet")


def time_of(text: str) -> float:
    """Return the seconds of a time as people write it, or of a number; ValueError for another text, or for nothing."""
    written = parse_written_time(text)
    seconds = float(text) if written is None else written
    if not seconds > 0:
        raise ValueError("a time is more than nothing")
    return seconds
