"""unvek judge look"""

import getpass
import sys
from typing import TYPE_CHECKING

import click

from unvek.cli.options import logbook_option, open_logbook, selection_options, tell

if TYPE_CHECKING:
    from collections.abc import Sequence

    from unvek.core.evidence.gathering import Selection
    from unvek.core.judging.looking import Looking
    from unvek.core.judging.of_ballot import BallotQuestion
    from unvek.core.logbook.verdict_rows import Question

KEYS = {"1": "left", "2": "right", "3": "even", "0": "neither"}
FOOT = "1 left   2 right   3 as good   0 neither   x flip   r a reason   b back   q quit"


@click.command()
@click.option("--judge", "judge_name", metavar="NAME", help="Who judges; if not given, the user of this machine.")
@click.option("--most", type=click.IntRange(1, 2000), default=20, show_default=True, metavar="N", help="So many pairs.")
@click.option("--each-other", is_flag=True, help="Any two variants, and not only each with the reference.")
@selection_options
@logbook_option
def look(judge_name: str | None, most: int, each_other: bool, selection: "Selection", where: str | None) -> None:
    """Judge pairs here in the terminal, blind: one person at the rig, without a browser.

    Pictures are shown in half-blocks, which hide much: 'unvek judge ballot' writes a page that shows them as they are.
    The keys are those of the page. Each answer is kept as it is given, and q ends at any time.

    \b
    Examples, in the demo's folder:
      unvek judge look --logbook cards
      unvek judge look --judge Ina --most 10
    """
    from unvek.core.errors import InputError
    from unvek.core.evidence.gathering import gather
    from unvek.core.evidence.outputs.source import KeptOutputs
    from unvek.core.judging.drawing import Asking
    from unvek.core.judging.looking import Looking
    from unvek.core.judging.of_ballot import make_ballots
    from unvek.core.judging.outputs import PICTURE, JudgedOutputs
    from unvek.core.units import counted

    if not (sys.stdin.isatty() and sys.stdout.isatty()):
        raise InputError("this asks at a terminal; elsewhere 'unvek judge ballot' writes a page")
    name = " ".join((judge_name or getpass.getuser()).split())[:100]
    if not name:
        raise click.UsageError("a judge has a name")
    with open_logbook(where) as logbook:
        evidence = gather(logbook, selection)
        outputs = JudgedOutputs(KeptOutputs.of(logbook), evidence)
        made = make_ballots(logbook, evidence, outputs, Asking(most=most, each_other=each_other))
        ballot = made.ballots[0]
        row = logbook.ballot(ballot.id)
        assert row is not None, "it has just been kept"
        if any(content.sort == PICTURE for question in ballot.questions for content in question.outputs):
            tell("a page shows pictures as they are, and not in half-blocks: unvek judge ballot")
        looking = Looking(logbook, row, name)
        try:
            _ask_all(ballot.questions, row.questions, looking)
        finally:
            looking.end()
    tell(f"{counted(looking.kept, 'verdict')} by {name}; 'unvek judge tally' says what they come to")


def _ask_all(shown: "Sequence[BallotQuestion]", asked: "Sequence[Question]", looking: "Looking") -> None:
    """Ask one question after the other, until all are answered or somebody quits."""
    place = 0
    while place < len(shown):
        went = _ask_one(shown[place], asked[place], place, len(shown), looking)
        if went == 0:
            return
        place = max(0, place + went)


def _ask_one(shown: "BallotQuestion", asked: "Question", place: int, count: int, looking: "Looking") -> int:
    """Ask one question; return how many places to go on: 1, -1 for back, 0 to end."""
    from time import monotonic

    from unvek.core.plain_text import clean
    from unvek.show.terminal.console import console, faint
    from unvek.show.terminal.two_outputs import print_outputs

    out, began_s, why, flipped = console(), monotonic(), "", None
    while True:
        out.clear()
        out.print(faint(f"{place + 1} of {count}"))
        out.print(clean(shown.prompt))
        sides = (0, 1) if flipped is None else (flipped,)
        print_outputs(out, [shown.outputs[side] for side in sides], [("left", "right")[side] for side in sides])
        out.print(faint(FOOT))
        key = click.getchar()
        if key in KEYS:
            looking.say(asked, place + 1, KEYS[key], monotonic() - began_s, why)
            return 1
        if key == "x":
            flipped = 1 if flipped == 0 else 0
        elif key == "v":
            flipped = None
        elif key == "r":
            why = click.prompt("why", default="", show_default=False)[:4000]
        elif key == "b" and looking.take_back():
            return -1
        elif key in ("q", "\x03", "\x04", ""):
            return 0
