"""Rows put into tables: what everything that writes into the logbook shares."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import fields
from datetime import UTC, datetime
from functools import lru_cache
from itertools import chain
from operator import attrgetter
from typing import Any

from sqlalchemy import Connection, Dialect, Insert, Table, func, literal, select
from sqlalchemy.sql.compiler import SQLCompiler

from unvek.core.logbook import tables
from unvek.core.logbook.rows import RunDetails


def insert_all(connection: Connection, table: Table, rows: Iterable[Any], insert: Insert | None = None) -> None:
    """Insert rows of one kind, if there are any: as plain tuples, since there may be a million of them."""
    coming = iter(rows)
    first = next(coming, None)
    if first is None:
        return
    statement = (table.insert() if insert is None else insert).values(dict.fromkeys(_stored_of(first)))
    words, names = _compiled(statement, connection.dialect)
    of_row = attrgetter(*names)
    changes = [(place, change) for place, name in enumerate(names)
               if (change := _bound(table, name, connection.dialect)) is not None]  # fmt: skip
    connection.exec_driver_sql(words, [_with(of_row(row), changes) for row in chain([first], coming)])


def _with(values: tuple[Any, ...], changes: Sequence[tuple[int, Callable[[Any], Any]]]) -> tuple[Any, ...]:
    """Return what the driver takes in the places of what it does not."""
    if not changes:
        return values
    changed = list(values)
    for place, change in changes:
        changed[place] = change(changed[place])
    return tuple(changed)


def _compiled(statement: Insert, dialect: Dialect) -> tuple[str, Sequence[str]]:
    """Return a statement as the driver takes it, and the columns whose values it takes, in their order."""
    compiled = statement.compile(dialect=dialect)
    assert isinstance(compiled, SQLCompiler)
    assert compiled.positiontup is not None, "the driver takes its values in order"
    return str(compiled), compiled.positiontup


def _bound(table: Table, name: str, dialect: Dialect) -> Callable[[Any], Any] | None:
    """Return what makes of a value what the driver takes, where that is another."""
    return table.c[name].type.dialect_impl(dialect).bind_processor(dialect)


def insert_bare_details(connection: Connection, first: int, last: int) -> None:
    """Give the runs from one number to another details in which nothing is known: as one statement."""
    runs, details = tables.runs.c, tables.run_details
    bare = RunDetails(run=0)
    names = [name for name in stored_in(RunDetails) if name != "run"]
    values = [literal(getattr(bare, name), details.c[name].type) for name in names]
    query = select(runs.number, *values).where(runs.number.between(first, last))
    connection.execute(details.insert().from_select(["run", *names], query))


@lru_cache(maxsize=64)
def stored_in(kind: Any) -> tuple[str, ...]:
    """Return the fields of a kind of row that its table has."""
    return tuple(one.name for one in fields(kind) if one.metadata.get("stored", True))


def _stored_of(row: Any) -> tuple[str, ...]:
    kind: Any = type(row)
    return stored_in(kind)


def as_columns(row: Any) -> dict[str, Any]:
    """Return a row as what is inserted into its table."""
    return {name: getattr(row, name) for name in _stored_of(row)}


def next_number(connection: Connection, table: Table) -> int:
    return (connection.scalar(select(func.max(table.c.number))) or 0) + 1


def now() -> str:
    return words_of(datetime.now(UTC))


def words_of(moment: datetime) -> str:
    return moment.isoformat(timespec="milliseconds")
