"""What came of asking a judge, drawn: a sentence."""

from collections.abc import Mapping
from typing import Any

from rich.console import Console
from rich.text import Text

from unvek.core.plain_text import clean
from unvek.core.session.judging.asking import Asked
from unvek.core.units import counted, duration_words
from unvek.show.terminal.figures import warning_text
from unvek.show.terminal.grid import Column
from unvek.show.terminal.views import View


def print_asked(out: Console, found: Asked) -> None:
    if not found.new:
        known = f"{counted(found.known, 'verdict')} were here already"
        out.print(Text(f"There is nothing more to ask {clean(found.judge)}: {known}."))
        return
    took = f"in {duration_words(found.took_s)}{_used(found)}"
    out.print(Text(f"{clean(found.judge)} gave {counted(found.new, 'verdict')} {took}."))
    if found.unreadable:
        out.print(warning_text(f"{found.unreadable} of them can't be read: 'unvek judge log' shows what was said."))
    if found.known:
        out.print(Text(f"{counted(found.known, 'verdict')} were here already."))
    if found.unasked:
        alike = counted(found.unasked, "pair")
        out.print(Text(f"{alike} need not be asked: both outputs are the same, and count as even."))
    out.print(Text("'unvek judge tally' says what they come to."))


def _used(found: Asked) -> str:
    tokens = f", {found.tokens_in} tokens in and {found.tokens_out} out" if found.tokens_in or found.tokens_out else ""
    again = f", {counted(found.tries - found.new, 'request')} sent again" if found.tries > found.new else ""
    return tokens + again + (f", cost {found.cost:.4g}" if found.cost is not None else "")


def asked_columns(found: Asked) -> list[Column]:
    columns = []
    for name, value in asked_records(found)[0].items():
        column = Column(name, numeric=not isinstance(value, str))
        column.add(clean(str(value)))
        columns.append(column)
    return columns


def asked_records(found: Asked) -> list[Mapping[str, Any]]:
    return [{name: getattr(found, name) for name in Asked.__slots__}]


ASKED = View(print_asked, asked_columns, asked_records)
