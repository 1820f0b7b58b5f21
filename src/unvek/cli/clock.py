"""unvek clock"""

import signal
import sys
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any, NoReturn

import click

from unvek.cli.options import logbook_option, name_option, place_to_write, settings_option, tell

if TYPE_CHECKING:
    from unvek.core.clock.acts import ClockSetup
    from unvek.core.clock.lanes import Clock
    from unvek.core.logbook.place import Place

USUALLY_COUNTED = {"t": "touch-ups", "x": "faults.seen"}
ENDED_BY = (signal.SIGTERM, signal.SIGHUP)


@click.command()
@click.argument("lanes", nargs=-1, metavar="VARIANT...")
@click.option("--task", metavar="NAME", help="What is done; the plan's task, where it has one only.")
@click.option("--seed", type=click.IntRange(0, 2**32 - 1), metavar="N", help="Its seed.  [default: the plan's, or 0]")
@click.option("--laps", type=click.IntRange(1, 100_000), metavar="N", help="A run has N laps; the last one ends it.")
@click.option("--kept-running", is_flag=True, help="The programs stay up from run to run: no fresh start for each.")
@settings_option("--form", "A variant's form, such as other=quantized; the plan's, or full, if not given.")
@settings_option("--foreseen", "How long another program says beforehand that it takes, such as other=0:45.")
@settings_option("--count", "A key, and what it counts, such as t=touch-ups or x=faults.torn.")
@click.option("--elsewhere", is_flag=True, help="What is timed runs on another machine, not on this one.")
@click.option("--practise", is_flag=True, help="Measure how far your hand is off, and keep that.")
@click.option("--trials", type=click.IntRange(5, 100), default=12, show_default=True, help="So many to practise on.")
@name_option
@logbook_option
def clock(
    lanes: tuple[str, ...], task: str | None, seed: int | None, laps: int | None, kept_running: bool,
    form: dict[str, Any], foreseen: dict[str, Any], count: dict[str, Any], elsewhere: bool, practise: bool, trials: int,
    name: str | None, where: str | None,
) -> None:  # fmt: skip
    """Time by hand what Unvek can't start: each VARIANT is a lane with a key of its own, 1 to 9.

    The key starts a run and stops it, or laps it on the way (--laps; else space laps). f says that it failed, w that it
    was a warm-up; t and x count touch-ups and faults of what came; b takes the last press back. Each press is kept as
    it comes. The runs are filed as timed by hand, and a hand's error goes into every interval that they are part of:
    a tenth of a second, or yours, once measured with --practise. Without a VARIANT, what was cut off is filed.

    \b
    Examples, in the demo's folder:
      unvek clock kiosk --task violet-four
      unvek clock kiosk tablet --laps 8 --foreseen kiosk=0:45 --count t=touch-ups
      unvek clock --practise
    """
    if practise:
        _practise(trials)
        return
    place = place_to_write(where)
    was_cut_off = _file_what_was_cut_off(place)
    if not lanes:
        if not was_cut_off:
            raise click.UsageError("say what is timed, such as 'unvek clock kiosk'; nothing waits to be filed")
        return
    _need_terminal()
    from unvek.core.clock.hand import hand_on_file
    from unvek.core.clock.setting_up import Asked, check, set_up
    from unvek.core.logbook.store import Logbook

    hand, counting = hand_on_file(), _counting(count or USUALLY_COUNTED)
    asked = Asked(
        task=task, seed=seed, laps=laps or 0, kept_running=kept_running, forms=form, foreseen_s=_seconds(foreseen),
        counted=tuple(counting.values()), reaction_s=hand.error_s, elsewhere=elsewhere, name=name,
    )  # fmt: skip
    check(lanes, asked)
    with Logbook.make_or_open(place) as logbook:
        setup, said = set_up(logbook, lanes, asked)
    for words in said:
        tell(words)
    _time(place, setup, counting, measured_hand=hand.trials > 0)


def _time(place: "Place", setup: "ClockSetup", counting: Mapping[str, str], measured_hand: bool) -> None:
    """Time until somebody ends it, however they do; what was timed is then filed."""
    from unvek.core.clock.journal import ClockJournal
    from unvek.core.clock.lanes import Clock
    from unvek.core.logbook.folder import LogbookFolder
    from unvek.show.live.clock_view import ClockView
    from unvek.show.terminal.console import console

    hand_clock, journal, is_filed = Clock(setup), ClockJournal.begun(LogbookFolder(place.folder), setup), False
    try:
        with _ended_by_signals():
            ClockView(hand_clock, counting, measured_hand, journal.write).work(console())
    finally:
        try:
            is_filed = _file(place, hand_clock)
        finally:
            journal.close(is_filed)


@contextmanager
def _ended_by_signals() -> Iterator[None]:
    """Have what ends a program from outside end it as Ctrl-C does: the window closed, the machine shut down."""

    def end(*_: object) -> NoReturn:
        raise KeyboardInterrupt

    before = {number: signal.signal(number, end) for number in ENDED_BY}
    try:
        yield
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)


def _file(place: "Place", hand_clock: "Clock") -> bool:
    """File what was timed and say so; True where it is in the logbook, or nothing was timed."""
    from unvek.core.clock.filing import file_clock
    from unvek.core.errors import LogbookBusyError, LogbookUnreachableError
    from unvek.core.logbook.store import Logbook
    from unvek.core.units import counted

    try:
        with Logbook.locked_at(place) as (logbook, _):
            filed = file_clock(logbook, hand_clock)
    except (LogbookBusyError, LogbookUnreachableError) as error:
        tell(f"{error}; what was timed is kept: 'unvek clock' files it then")
        return False
    if filed.runs:
        tell(f"{counted(filed.runs, 'run')} filed in {place.name}, timed by hand, as the session {filed.session}; "
             f"'unvek compare' holds them against {filed.reference}")  # fmt: skip
    else:
        tell("nothing was timed")
    return True


def _file_what_was_cut_off(place: "Place") -> bool:
    """File what an earlier clock could not, since it was killed or runs were being made."""
    from unvek.core.clock.journal import cut_off
    from unvek.core.logbook.folder import LogbookFolder

    found = False
    for path, hand_clock in cut_off(LogbookFolder(place.folder)):
        found = True
        if hand_clock is None:
            tell(f"{path} can't be read as what was timed by hand; it is left where it is")
            continue
        tell(f"what was timed from {hand_clock.setup.began_at} on was cut off:")
        if _file(place, hand_clock):
            path.unlink(missing_ok=True)
    return found


def _need_terminal() -> None:
    if not (sys.stdin.isatty() and sys.stdout.isatty()):
        raise click.UsageError("a clock needs a terminal with a keyboard; 'unvek import' takes times from a file, "
                               "where the column source says by-hand")  # fmt: skip


def _counting(given: Mapping[str, Any]) -> dict[str, str]:
    """Return the measure that each key counts."""
    from unvek.core.measures.catalogue import COUNT, FAULTS
    from unvek.core.plan.names import NAME_WORDS, is_name
    from unvek.show.live.clock_screen import TAKEN_KEYS

    counting = {}
    for key, named in given.items():
        name = str(named)
        if len(key) != 1 or not ("a" <= key <= "z") or key in TAKEN_KEYS:
            raise click.BadParameter(f"{key!r} can't count: wanted a small letter, none of {' '.join(TAKEN_KEYS)}",
                                     param_hint="--count")  # fmt: skip
        measure = name if name.startswith((COUNT, FAULTS)) else COUNT + name
        if not is_name(measure):
            raise click.BadParameter(f"{name!r} is no name; wanted {NAME_WORDS}", param_hint="--count")
        counting[key] = measure
    return counting


def _seconds(foreseen: Mapping[str, Any]) -> dict[str, float]:
    from unvek.show.live.clock_view import time_of

    try:
        return {lane: time_of(str(said)) for lane, said in foreseen.items()}
    except ValueError as error:
        raise click.BadParameter(f'wanted LANE=TIME, such as kiosk=45 or kiosk=0:45 ({error})',
                                 param_hint="--foreseen") from error  # fmt: skip


def _practise(trials: int) -> None:
    """Measure how far this user's hand is off."""
    from random import Random

    from unvek.core.clock.hand import hand_of, keep_hand
    from unvek.show.live.practice import Practice
    from unvek.show.terminal.console import console

    _need_terminal()
    practice = Practice(trials, Random())
    if not practice.work(console()):
        tell("ended before all trials were made; nothing was kept")
        return
    hand = hand_of(practice.errors_s)
    path = keep_hand(hand)
    assert hand.bias_s is not None, "it was measured"
    way = "late" if hand.bias_s > 0 else "early"
    tell(f"Your hand stops {abs(hand.bias_s):.2f} s too {way} in the mean of {trials} trials; what it times is off by "
         f"{hand.error_s:.2f} s (a standard deviation, the mean included).")  # fmt: skip
    tell(
        f"From now on that goes into the intervals of what you time here ({path}); what was timed before keeps its own."
    )
