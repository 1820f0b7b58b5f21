"""Runs shown while they are made: by a live view where there is a terminal, else a line a run."""

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace

from unvek.cli.options import say_who, tell
from unvek.core.session.workplace import RunOptions
from unvek.show.live.live_view import LiveView, draws
from unvek.show.live.plain import PlainLines


@contextmanager
def shown(options: RunOptions, plain: bool = False) -> Iterator[RunOptions]:
    """Have what is made with these options shown, in the way that suits where standard output goes."""
    options = replace(options, tell=tell, on_wait=say_who)
    if plain or not draws():
        yield replace(options, listener=PlainLines(sys.stderr).hear)
        return
    view = LiveView()
    try:
        yield replace(options, on_journal=view.start)
    finally:
        view.end()
