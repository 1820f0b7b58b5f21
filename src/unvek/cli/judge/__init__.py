"""unvek judge: questions about outputs, to people and to models. A command a file."""

import click

from unvek.cli.lazy import LazyGroup

COMMANDS = {
    "ballot": "Write a page on which a person judges blind.",
    "look": "Judge pairs here in the terminal.",
    "ask": "Have a model or a program of the plan judge.",
    "collect": "Take in the answers that a page has saved.",
    "tally": "Say what the verdicts come to.",
    "log": "List the verdicts, with who gave them and why.",
    "void": "Take a verdict out, with the reason.",
    "note": "Put a remark on a verdict.",
    "export": "Write the verdicts out as CSV or JSON Lines.",
    "import": "Bring in verdicts that were written out.",
}
MODULES = {
    "log": "verdicts",
    "void": "void_verdict",
    "note": "note_verdict",
    "export": "export_verdicts",
    "import": "import_verdicts",
}


@click.group(cls=LazyGroup, lines=COMMANDS, room="unvek.cli.judge", modules=MODULES)
def judge() -> None:
    """Have outputs judged blind, by people or by models, and see what the verdicts come to.

    \b
    Examples, in the demo's folder; a page goes to a colleague, and a file comes back:
      unvek judge ballot petals.html
      unvek judge collect answers-ina.json
      unvek judge tally
    """
