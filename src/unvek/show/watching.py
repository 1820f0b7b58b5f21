"""Making runs while they are shown, by a live view in a process of its own or as plain lines; and watching others'."""

import os
import subprocess
import sys
import termios
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from time import sleep
from typing import Any

import click
from rich.console import Console

from unvek.core.plan.model import Plan
from unvek.core.run.entries import Entry, Over
from unvek.core.run.journal import JournalReader, latest_journal
from unvek.core.run.turn import Holder, holder
from unvek.core.session.making import Made, Wishes, make_runs
from unvek.core.session.trial import Trial, TrialWish, make_trial
from unvek.show.plain import PlainLines
from unvek.show.terminal import clean

VIEW_ENDS_WITHIN_S = 3.0
LOOK_EVERY_S = 0.25


def make_and_show(plan: Plan, logbook: Path, *, plain: bool = False, wishes: Wishes | None = None) -> Made:
    """Make a plan's runs; with a terminal on standard output and no wish for plain lines, under a live view."""
    with shown(plain, wishes or Wishes()) as shown_wishes:
        return make_runs(plan, logbook, shown_wishes)


def try_and_show(plan: Plan, logbook: Path, wish: TrialWish, *, wait: bool) -> Trial:
    """Try one thing, under the live view for as long as it lasts where there is a terminal."""
    with shown(False, Wishes(wait=wait)) as wishes:
        return make_trial(plan, logbook, wish, wishes)


@contextmanager
def shown(plain: bool, wishes: Wishes) -> Iterator[Wishes]:
    """Have what is made shown, in the way that suits where standard output goes."""
    wishes = replace(wishes, tell=_say, on_wait=_say_who)
    if plain or not draws():
        yield replace(wishes, listener=PlainLines(sys.stderr).hear)
        return
    view = LiveView()
    try:
        yield replace(wishes, on_journal=view.start)
    finally:
        view.end()


def draws() -> bool:
    """Whether standard output is a terminal that can be drawn on."""
    return sys.stdout.isatty() and os.environ.get("TERM") != "dumb"


def _say(words: str) -> None:
    click.echo(clean(words), err=True)


def _say_who(who: Holder) -> None:
    _say(f"waiting for {who.words()}; Ctrl-C ends the waiting")


class LiveView:
    """The live view's process. It reads the journal and draws; the engine knows nothing of it."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[bytes] | None = None
        self._terminal: list[Any] | None = None

    def start(self, journal: Path) -> None:
        keyboard = sys.stdin if sys.stdin is not None and sys.stdin.isatty() else None
        self._terminal = termios.tcgetattr(keyboard) if keyboard is not None else None
        self._process = subprocess.Popen(
            [sys.executable, "-m", "unvek.show.live", str(journal)], stdin=keyboard or subprocess.DEVNULL
        )

    def end(self) -> None:
        """Wait for the view to see the end of the journal; a view that does not is ended, and the terminal mended."""
        if self._process is None:
            return
        try:
            self._process.wait(VIEW_ENDS_WITHIN_S)
        except subprocess.TimeoutExpired:
            self._process.terminate()
            self._process.wait()
        if self._terminal is not None:
            try:
                termios.tcsetattr(sys.stdin, termios.TCSADRAIN, self._terminal)
            except (termios.error, OSError):
                pass  # the terminal has gone


def watch_runs(logbook: Path | None) -> bool:
    """Show what runs on this machine; False where nothing runs and there is no terminal to wait on.

    On a terminal: waits for a run to begin, draws it until it is over, and leaves the last state standing.
    Elsewhere: prints a line a run. logbook is where the runs before are looked for when nothing runs now.
    """
    from unvek.show.live.viewer import Viewer
    from unvek.show.terminal import console

    journal = _journal_now()
    out = console()
    if journal is None and draws():
        _show_what_was(logbook, out)
        while journal is None:
            sleep(LOOK_EVERY_S)
            journal = _journal_now()
    if journal is None:
        _say("nothing runs on this machine now")
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
        _say("The engine has ended without a word; every run that it had finished is safe.")
    return True


def _journal_now() -> Path | None:
    """Return the journal of what runs now, if it is one: who holds the machine may have written anything."""
    who = holder()
    journal = who.journal if who is not None else None
    return journal if journal is not None and journal.suffix == ".jsonl" and journal.is_file() else None


def _show_what_was(logbook: Path | None, out: Console) -> None:
    from unvek.show.live.viewer import Viewer

    before = latest_journal(logbook / "journal") if logbook is not None else None
    if before is not None:
        Viewer(before, out, goes_on=lambda: False).print_last()
    _say("Nothing runs on this machine now; waiting for a run to begin. Ctrl-C ends the waiting.")


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
