"""python -m unvek.show.live JOURNAL: draws what the journal says, four times a second, until it is over."""

import os
import signal
import sys
from pathlib import Path

from unvek.show.live.viewer import Viewer
from unvek.show.terminal.console import PlainConsole

LAST_LOOK_S = 0.6
NICENESS = 10  # the model comes first


def main() -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is the engine's
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    os.nice(NICENESS)
    engine = os.getppid()
    console = PlainConsole(highlight=False, markup=False, emoji=False)
    viewer = Viewer(Path(sys.argv[1]), console, goes_on=lambda: os.getppid() == engine)
    viewer.follow(LAST_LOOK_S)
    if viewer.quit:
        console.print("The runs go on: 'unvek watch' shows them again, Ctrl-C twice stops them.")


if __name__ == "__main__":
    main()
