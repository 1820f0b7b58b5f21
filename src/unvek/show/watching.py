"""Making runs while they are shown: a live view in a process of its own, or plain lines."""

import os
import subprocess
import sys
from pathlib import Path

from unvek.core.plan.model import Plan
from unvek.core.session import Made, make_runs
from unvek.show.plain import PlainLines

VIEW_ENDS_WITHIN_S = 3.0


def make_and_show(plan: Plan, logbook: Path, *, plain: bool = False, afresh: bool = False) -> Made:
    """Make a plan's runs; with a terminal on standard output and no wish for plain lines, under a live view."""
    if plain or not sys.stdout.isatty() or os.environ.get("TERM") == "dumb":
        return make_runs(plan, logbook, afresh=afresh, listener=PlainLines(sys.stderr).hear)
    view = LiveView()
    try:
        return make_runs(plan, logbook, afresh=afresh, on_journal=view.start)
    finally:
        view.end()


class LiveView:
    """The live view's process. It reads the journal and draws; the engine knows nothing of it."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[bytes] | None = None

    def start(self, journal: Path) -> None:
        self._process = subprocess.Popen(
            [sys.executable, "-m", "unvek.show.live", str(journal)], stdin=subprocess.DEVNULL
        )

    def end(self) -> None:
        """Wait for the view to see the end of the journal; a view that does not is ended."""
        if self._process is None:
            return
        try:
            self._process.wait(VIEW_ENDS_WITHIN_S)
        except subprocess.TimeoutExpired:
            self._process.terminate()
            self._process.wait()
