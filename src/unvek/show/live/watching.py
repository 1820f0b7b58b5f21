"""Watching what runs on this machine, whoever started it."""

import os
import sys
from collections.abc import Callable
from functools import cache
from pathlib import Path
from time import sleep

from rich.console import Console

from unvek.core.held_folder import open_plain
from unvek.core.run.journal.entries import Entry, Over
from unvek.core.run.journal.journal import JournalReader, latest_journal
from unvek.core.run.machine_lock import Holder, holder
from unvek.show.live.live_view import draws
from unvek.show.live.plain import PlainLines

LOOK_EVERY_S = 0.25

Tell = Callable[[str], None]


def watch_runs(logbook: Path | None, tell: Tell) -> bool:
    """Show what runs on this machine; False where nothing runs and there is no terminal to wait on.

    On a terminal: waits for a run to begin, draws it until it is over, and leaves the last state standing.
    Elsewhere: prints a line a run. logbook is where the runs before are looked for when nothing runs now; tell hears
    what is said beside them.
    """
    from unvek.show.live.viewer import Viewer
    from unvek.show.terminal.console import console

    journal = _journal_now(tell)
    out = console()
    if journal is None and draws():
        _show_what_was(logbook, out, tell)
        while journal is None:
            sleep(LOOK_EVERY_S)
            journal = _journal_now(tell)
    if journal is None:
        who = holder()
        if who is None or who.measures:
            tell("nothing runs on this machine now")
        before = latest_journal(logbook / "journal") if logbook is not None else None
        if before is not None:
            _print_lines(before, follow=False)
        return False
    if not draws():
        _print_lines(journal, follow=True)
        return True
    viewer = Viewer(journal, out, goes_on=lambda: holder() is not None)
    viewer.follow()
    viewer.print_last()
    if not viewer.state.over and not viewer.quit:
        tell("The engine has ended without a word; every run that it had finished is safe.")
    return True


def _journal_now(tell: Tell) -> Path | None:
    """Return the journal of what runs now, if it is one: who holds the machine may have written anything.

    What its owner has not opened to others is not watched; that is told once.
    """
    who = holder()
    journal = who.journal if who is not None else None
    if who is None or journal is None or journal.suffix != ".jsonl":
        return None
    try:
        os.close(open_plain(journal))
    except PermissionError:
        _tell_closed(tell, who)
        return None
    except OSError:
        return None
    return journal


@cache
def _tell_closed(tell: Tell, who: Holder) -> None:
    tell(f"runs are being made by {who.words()}; the logbook is not open to you: its owner may open it (chmod)")


def _show_what_was(logbook: Path | None, out: Console, tell: Tell) -> None:
    from unvek.show.live.viewer import Viewer

    before = latest_journal(logbook / "journal") if logbook is not None else None
    if before is not None:
        Viewer(before, out, goes_on=lambda: False).print_last()
    tell("Nothing runs on this machine now; waiting for a run to begin. Ctrl-C ends the waiting.")


def _print_lines(journal: Path, follow: bool) -> None:
    reader, lines = JournalReader(journal), PlainLines(sys.stdout)
    over = False
    while not over:
        found = reader.read()
        for entry in found:
            if isinstance(entry, Entry):
                lines.hear(entry)
                over = over or isinstance(entry, Over)
        if not found and (not follow or holder() is None):
            return
        if not found:
            sleep(LOOK_EVERY_S)
