"""Rows put into tables: what everything that writes into the logbook shares."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import fields
from datetime import UTC, datetime
from functools import lru_cache
from itertools import chain
from operator import attrgetter
from typing import Any

from sqlalchemy import Connection, Dialect, Insert, Table, func, literal, select
from sqlalchemy.dialects import postgresql, sqlite
from sqlalchemy.sql.compiler import SQLCompiler

from unvek.core.logbook import tables
from unvek.core.logbook.rows import RunDetails

KEEP, REPLACE = "keep", "replace"
FEW = 50  # rows that are not worth a stream


def insert_all(connection: Connection, table: Table, rows: Iterable[Any], known: str | None = None) -> None:
    """Insert rows of one kind, if there are any: as plain tuples, since there may be a million of them.

    known: whether a row is to KEEP or REPLACE one that is there under the same key, where that may be.
    """
    coming = iter(rows)
    first = next(coming, None)
    if first is None:
        return
    insert = insert_new(connection, table, known, _stored_of(first))
    put = _put_by_server if connection.dialect.name == "postgresql" else _put_in_order
    put(connection, insert.values(dict.fromkeys(_stored_of(first))), chain([first], coming), known)


def insert_new(connection: Connection, table: Table, known: str | None, names: Sequence[str] = ()) -> Any:
    """Return the statement that inserts rows; names: of the columns that it replaces."""
    dialect = sqlite if connection.dialect.name == "sqlite" else postgresql
    insert = dialect.insert(table)
    keys = list(table.primary_key)
    if known == KEEP:
        return insert.on_conflict_do_nothing(index_elements=keys)
    if known == REPLACE:
        rest = {name: insert.excluded[name] for name in names if not table.c[name].primary_key}
        return insert.on_conflict_do_update(index_elements=keys, set_=rest)
    return insert


def _put_in_order(connection: Connection, insert: Insert, rows: Iterable[Any], known: str | None) -> None:
    """Hand rows to a driver that takes the values of each in their order."""
    words, names = _compiled(insert, connection.dialect)
    connection.exec_driver_sql(words, _plain(connection, insert.table, names, rows))


def _put_by_server(connection: Connection, insert: Insert, rows: Iterable[Any], known: str | None) -> None:
    """Hand rows to a server: many as one stream, through a table of their own where some may be there already."""
    table, names = insert.table, list(insert.compile(dialect=connection.dialect).params)
    values = _plain(connection, table, names, rows)
    columns = ", ".join(f'"{name}"' for name in names)
    if known is not None and (known == REPLACE or len(values) < FEW):
        words = str(insert.compile(dialect=connection.dialect))
        connection.exec_driver_sql(words, [dict(zip(names, row, strict=True)) for row in values])
        return
    into = table.name
    driver: Any = connection.connection.driver_connection
    with driver.cursor() as cursor:
        if known == KEEP:
            into = f"coming_{table.name}"
            cursor.execute(f"CREATE TEMP TABLE IF NOT EXISTS {into} (LIKE {table.name}) ON COMMIT DROP")
            cursor.execute(f"TRUNCATE {into}")
        with cursor.copy(f"COPY {into} ({columns}) FROM STDIN") as copying:
            for row in values:
                copying.write_row(row)
        if known == KEEP:
            cursor.execute(f"INSERT INTO {table.name} ({columns}) SELECT {columns} FROM {into} ON CONFLICT DO NOTHING")


def _plain(connection: Connection, table: Any, names: Sequence[str], rows: Iterable[Any]) -> list[tuple[Any, ...]]:
    of_row = attrgetter(*names)
    changes = [(place, change) for place, name in enumerate(names)
               if (change := _bound(table, name, connection.dialect)) is not None]  # fmt: skip
    return [_with(of_row(row), changes) for row in rows]


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
