"""python -m unvek.show.live JOURNAL: draws what the journal says, four times a second, until it is over."""

import os
import signal
import sys
from pathlib import Path
from time import monotonic_ns, sleep

from rich.console import Console, Group
from rich.live import Live

from unvek.core.run.journal import JournalReader
from unvek.show.live.screen import draw
from unvek.show.live.state import LiveState

DRAW_EVERY_S = 0.25
LAST_LOOK_S = 0.6
NICENESS = 10  # the model comes first


def main() -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is the engine's
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    os.nice(NICENESS)
    engine = os.getppid()
    reader, state = JournalReader(Path(sys.argv[1])), LiveState()
    console = Console(highlight=False, markup=False, emoji=False)
    with Live(console=console, screen=True, auto_refresh=False, redirect_stdout=False, redirect_stderr=False) as live:
        while not state.over and os.getppid() == engine:
            sleep(DRAW_EVERY_S)
            for content in reader.read():
                state.take(content)
            width, height = console.size
            live.update(Group(*draw(state, width, height, monotonic_ns())), refresh=True)
        sleep(LAST_LOOK_S)


if __name__ == "__main__":
    main()
