"""Rows put into tables: what everything that writes into the logbook shares."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import fields
from datetime import UTC, datetime
from functools import lru_cache
from itertools import chain
from operator import attrgetter
from typing import Any, NamedTuple

from sqlalchemy import Connection, Dialect, Table, literal, select
from sqlalchemy.dialects import sqlite
from sqlalchemy.sql.compiler import SQLCompiler

from unvek.core.logbook import tables
from unvek.core.logbook.column_types import is_server
from unvek.core.logbook.rows import RunDetails

KEEP, REPLACE = "keep", "replace"
FEW = 50  # rows that are not worth a stream


class Prepared(NamedTuple):
    """An insert as a driver takes it: its words, the columns in order, and how a row becomes their values.

    changes are of values that the driver takes in another form, each with its place.
    """

    words: str
    names: tuple[str, ...]
    of_row: Callable[[Any], tuple[Any, ...]]
    changes: tuple[tuple[int, Callable[[Any], Any]], ...]

    def values(self, row: Any) -> tuple[Any, ...]:
        """Return a row's values as the driver takes them."""
        found = self.of_row(row)
        if not self.changes:
            return found
        changed = list(found)
        for place, change in self.changes:
            changed[place] = change(changed[place])
        return tuple(changed)


_PREPARED: dict[tuple[str, str, str | None], Prepared] = {}


def insert_all(connection: Connection, table: Table, rows: Iterable[Any], known: str | None = None) -> None:
    """Insert rows of one kind, if there are any: as plain tuples, since there may be a million of them.

    known: whether a row is to KEEP or REPLACE one that is there under the same key, where that may be.
    """
    coming = iter(rows)
    first = next(coming, None)
    if first is None:
        return
    insert = _prepared(connection, table, _stored_of(first), known)
    values = list(map(insert.values, chain([first], coming)))
    if not is_server(connection.dialect):
        connection.exec_driver_sql(insert.words, values)
    elif len(values) == 1:
        connection.exec_driver_sql(insert.words, dict(zip(insert.names, values[0], strict=True)))
    elif known == REPLACE or len(values) < FEW:
        connection.exec_driver_sql(insert.words, [dict(zip(insert.names, row, strict=True)) for row in values])
    else:
        _stream(connection, table.name, insert.names, values, known)


def _stream(connection: Connection, table: str, names: Sequence[str], values: Iterable[Any], known: str | None) -> None:
    """Hand many rows to a server as one stream, by way of a table of their own where some may be there already."""
    columns, into = ", ".join(f'"{name}"' for name in names), table
    driver: Any = connection.connection.driver_connection
    with driver.cursor() as cursor:
        if known == KEEP:
            into = f"coming_{table}"
            cursor.execute(f"CREATE TEMP TABLE IF NOT EXISTS {into} (LIKE {table}) ON COMMIT DROP")
            cursor.execute(f"TRUNCATE {into}")
        with cursor.copy(f"COPY {into} ({columns}) FROM STDIN") as copying:
            for row in values:
                copying.write_row(row)
        if known == KEEP:
            cursor.execute(f"INSERT INTO {table} ({columns}) SELECT {columns} FROM {into} ON CONFLICT DO NOTHING")


def insert_new(connection: Connection, table: Table, known: str | None, names: Sequence[str] = ()) -> Any:
    """Return the statement that inserts rows; names: of the columns that it replaces."""
    insert = _insert_of(connection.dialect)(table)
    keys = list(table.primary_key)
    if known == KEEP:
        return insert.on_conflict_do_nothing(index_elements=keys)
    if known == REPLACE:
        rest = {name: insert.excluded[name] for name in names if not table.c[name].primary_key}
        return insert.on_conflict_do_update(index_elements=keys, set_=rest)
    return insert


def _insert_of(dialect: Dialect) -> Callable[[Table], Any]:
    """Return the insert of a database that knows what to do with a row that is there."""
    if not is_server(dialect):
        return sqlite.insert
    from sqlalchemy.dialects import postgresql  # a good part of all that is imported: a folder does not want it

    return postgresql.insert


def _prepared(connection: Connection, table: Table, stored: Sequence[str], known: str | None) -> Prepared:
    """Return the insert of a kind of row, which has one table: worked out once, since a run's end waits for it."""
    dialect, key = connection.dialect, (connection.dialect.name, table.name, known)
    if key not in _PREPARED:
        insert = insert_new(connection, table, known, stored).values(dict.fromkeys(stored))
        compiled = insert.compile(dialect=dialect)
        assert isinstance(compiled, SQLCompiler)
        names = tuple(compiled.positiontup or compiled.params)
        changes = tuple(
            (place, change)
            for place, name in enumerate(names)
            if (change := table.c[name].type.dialect_impl(dialect).bind_processor(dialect)) is not None
        )
        _PREPARED[key] = Prepared(str(compiled), names, attrgetter(*names), changes)
    return _PREPARED[key]


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


def next_number(connection: Connection, table: Table) -> int:
    """Return the number of the next row: asked in plain words, since a run's end waits for it."""
    return int(connection.exec_driver_sql(f"SELECT max(number) FROM {table.name}").scalar() or 0) + 1


def now() -> str:
    return words_of(datetime.now(UTC))


def words_of(moment: datetime) -> str:
    return moment.isoformat(timespec="milliseconds")
