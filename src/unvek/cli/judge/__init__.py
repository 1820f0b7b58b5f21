"""unvek judge: questions about outputs, to people and to models. A command a file."""

import click

from unvek.cli.lazy import LazyGroup

COMMANDS = {
    "ballot": "Write a page on which a person judges blind.",
    "ask": "Have a model or a program of the plan judge.",
    "collect": "Take in the answers that a page has saved.",
    "tally": "Say what the verdicts come to.",
    "log": "List the verdicts, with who gave them and why.",
    "void": "Take a verdict out, with the reason.",
    "note": "Put a remark on a verdict.",
}
MODULES = {"log": "verdicts", "void": "void_verdict", "note": "note_verdict"}


@click.group(cls=LazyGroup, lines=COMMANDS, room="unvek.cli.judge", modules=MODULES)
def judge() -> None:
    """Have outputs judged blind, by people or by models, and see what the verdicts come to.

    \b
    The way of it, in the demo's folder:
      unvek judge ballot petals.html      a page for a colleague, who sends a file back
      unvek judge collect answers-ina.json
    """
