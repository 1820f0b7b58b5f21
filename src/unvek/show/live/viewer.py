"""The live view at work: the journal followed, the screen drawn four times a second, keys passed on to the engine."""

import os
from collections.abc import Callable
from pathlib import Path
from time import monotonic, monotonic_ns

from rich.console import Console, Group

from unvek.core.held_folder import open_plain
from unvek.core.run.journal.controls import GO_ON, PAUSE, SKIP, STOP_AFTER, send_control
from unvek.core.run.journal.journal import JournalReader
from unvek.show.live import keys as key
from unvek.show.live.frame import Frame
from unvek.show.live.keys import Keys
from unvek.show.live.screen import draw
from unvek.show.live.state import LiveState

DRAW_EVERY_S = 0.25
SLOW_FROM_S, SLOW_FOR_S = 0.2, 10.0  # a link that takes so long for a screen is spared the picture for a while
LOG_BYTES = 16 * 2**10
ASKED = {key.SKIP: SKIP, key.STOP_AFTER: STOP_AFTER}


class Viewer:
    """Shows one journal on one terminal."""

    def __init__(self, journal: Path, console: Console, goes_on: Callable[[], bool]):
        """goes_on says whether the engine is still there; a journal that ends without a word is left then."""
        self._journal = journal
        self._reader = JournalReader(journal)
        self._console = console
        self._goes_on = goes_on
        self.state = LiveState()
        self.quit = False
        self._slow_until_s = 0.0

    def follow(self, last_look_s: float = 0.0) -> None:
        """Draw until the runs are over, the engine has gone, or the user quits watching."""
        with Keys() as keys, Frame(self._console) as frame:
            self.state.keys = keys.there
            self._read()
            while not self.quit:
                ended = self.state.over or not self._goes_on()
                self._read()
                self._draw(frame)
                if ended:
                    keys.pressed(last_look_s)
                    return
                for pressed in keys.pressed(DRAW_EVERY_S):
                    self._on_key(pressed)

    def print_last(self) -> None:
        """Read all that there is, and leave the last state on the ordinary screen."""
        self._read()
        width, height = self._console.size
        self.state.keys = False
        lines = draw(self.state, width, height, self.state.latest_ns)
        while lines and not lines[-1].plain.strip():
            lines.pop()
        self._console.print(Group(*lines))

    def _read(self) -> None:
        while entries := self._reader.read():
            for content in entries:
                self.state.take(content)

    def _draw(self, frame: Frame) -> None:
        if self.state.shows_log:
            self.state.log_lines = self._log_lines()
        size = frame.size()
        began_s = monotonic()
        self.state.slow_link = began_s < self._slow_until_s
        frame.draw(draw(self.state, *size, monotonic_ns()), size)
        if monotonic() - began_s > SLOW_FROM_S:
            self._slow_until_s = monotonic() + SLOW_FOR_S

    def _on_key(self, pressed: str) -> None:
        state = self.state
        if pressed == key.QUIT:
            self.quit = True
        elif pressed == key.LOG:
            state.shows_log = not state.shows_log
        elif pressed == key.PAUSE:
            self._ask(GO_ON if state.paused or state.asked == PAUSE else PAUSE)
        elif pressed in ASKED:
            self._ask(ASKED[pressed])

    def _ask(self, what: str) -> None:
        """Put a wish into the file that the journal names, beside the journal and nowhere else."""
        name = Path(self.state.controls).name
        heard = name.endswith(".controls") and send_control(self._journal.with_name(name), what)
        self.state.asked = what
        self.state.news = f"asked: {what}" if heard else f"nobody hears: {what}"

    def _log_lines(self) -> list[str]:
        """Return the last lines that this launch printed, from the logbook's own folder and nowhere else."""
        path = self._journal.parent.parent / "logs" / Path(self.state.log).name
        try:
            with os.fdopen(open_plain(path), "rb") as file:
                size = file.seek(0, 2)
                file.seek(max(0, size - LOG_BYTES))
                return file.read(LOG_BYTES).decode("utf-8", "replace").splitlines()
        except OSError:
            return []
