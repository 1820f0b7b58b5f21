"""Types of columns that give back what was put in, in every database.

PostgreSQL's texts hold no NUL character, and what a model writes may have one; its order of texts depends on its
locale; and its JSON knows no NaN. So texts are ordered there by their code points, one with a NUL is kept in another
form, and JSON is kept as text.
"""

import json
from collections.abc import Callable, Sequence
from typing import Any

from sqlalchemy import JSON, Dialect, String, Table, Text
from sqlalchemy.types import TypeDecorator, TypeEngine

from unvek.core.logbook.plan_record import plain, typed

MARK = "\ue000"  # a character for private use: what begins with it is a text as JSON has it
Processor = Callable[[Any], Any]


def is_server(dialect: Dialect) -> bool:
    """Whether a database is a server's, and not a file's."""
    return dialect.name == "postgresql"


def as_kept(text: str) -> str:
    return MARK + json.dumps(text) if "\0" in text or text.startswith(MARK) else text


def as_it_was(text: str) -> str:
    return json.loads(text[len(MARK) :]) if text.startswith(MARK) else text


class Words(TypeDecorator[str]):
    """A text."""

    impl = String
    cache_ok = True

    def __init__(self, long: bool = False):
        super().__init__()
        self.long = long

    def load_dialect_impl(self, dialect: Dialect) -> TypeEngine[Any]:
        if is_server(dialect):
            return dialect.type_descriptor(Text(collation="C"))
        return dialect.type_descriptor(Text() if self.long else String())

    def bind_processor(self, dialect: Dialect) -> Processor | None:
        return _unless_none(as_kept) if is_server(dialect) else None

    def result_processor(self, dialect: Dialect, coltype: object) -> Processor | None:
        return _unless_none(as_it_was) if is_server(dialect) else None


class AsJson(TypeDecorator[Any]):
    """A value of some type as JSON, checked when it is read."""

    impl = JSON
    cache_ok = True

    def __init__(self, kind: Any = Any):
        super().__init__()
        self.kind = kind

    def load_dialect_impl(self, dialect: Dialect) -> TypeEngine[Any]:
        return dialect.type_descriptor(Text(collation="C") if is_server(dialect) else JSON())

    def process_bind_param(self, value: Any, dialect: Dialect) -> Any:
        value = plain(value)
        return json.dumps(value) if is_server(dialect) else value

    def process_result_value(self, value: Any, dialect: Dialect) -> Any:
        if is_server(dialect) and value is not None:
            value = json.loads(value)
        return typed(value, self.kind)


def readers_of_plain(dialect: Dialect, table: Table, names: Sequence[str]) -> dict[str, Processor]:
    """Return what makes of a text as the driver gives it the text that it was, by column, where that is another."""
    if not is_server(dialect):
        return {}
    return {name: _unless_none(as_it_was) for name in names if isinstance(table.c[name].type, Words)}


def _unless_none(change: Processor) -> Processor:
    return lambda value: None if value is None else change(value)
