"""Rows put into tables: what everything that writes into the logbook shares."""

from collections.abc import Iterable
from dataclasses import fields
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Connection, Insert, Table, func, select


def insert_all(connection: Connection, table: Table, rows: Iterable[Any], insert: Insert | None = None) -> None:
    """Insert rows of one kind, if there are any."""
    columns = [as_columns(row) for row in rows]
    if columns:
        connection.execute(table.insert() if insert is None else insert, columns)


def as_columns(row: Any) -> dict[str, Any]:
    """Return a row as what is inserted into its table."""
    return {one.name: getattr(row, one.name) for one in fields(row) if one.metadata.get("stored", True)}


def next_number(connection: Connection, table: Table) -> int:
    return (connection.scalar(select(func.max(table.c.number))) or 0) + 1


def now() -> str:
    return words_of(datetime.now(UTC))


def words_of(moment: datetime) -> str:
    return moment.isoformat(timespec="milliseconds")
