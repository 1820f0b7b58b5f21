"""Whether a logbook holds together: read through whole, once something has gone wrong while it was read.

Reading trusts what Unvek itself has put there, since looking at every value would cost each command more than the
reading. So a disk's bit that has turned may come to light far from the logbook, as any fault at all; what the user is
told then is what this finds.
"""

from collections.abc import Iterator
from typing import Any

from sqlalchemy import Boolean, Column, Connection, Float, Integer, LargeBinary, Table, select, text

from unvek.core.logbook import tables
from unvek.core.logbook.packing import are_numbers
from unvek.core.plan.model import FORMS
from unvek.core.rig.facts import rig_words

MOST = {"integer": 2**53, "real": 1e15}  # of any number that a logbook holds: bytes, numbers of rows, seconds
NARROWER = {"runs.form": f"IN {FORMS}", "outputs.bytes": ">= 0"}
BOUNDED = {Integer: "integer", Float: "real"}
SORTS = {Boolean: ("integer",), Integer: ("integer",), Float: ("real", "integer"), LargeBinary: ("blob",)}


def damage_in_file(connection: Connection) -> str | None:
    """Return what is wrong in a file of SQLite, the first that is found; None where everything holds together."""
    found = connection.scalar(text("PRAGMA quick_check(1)"))
    if found != "ok":
        return str(found)
    if (lost := connection.execute(text("PRAGMA foreign_key_check")).first()) is not None:
        return f"a row of {lost[0]} names one of {lost[2]} that is not there"
    return next(_wrong_values(connection), None)


def damage_in_values(connection: Connection) -> str | None:
    """Return what is wrong in a database that itself keeps its columns to their types, and rows to those they name."""
    return next(_beyond_bounds(connection), None)


def _beyond_bounds(connection: Connection) -> Iterator[str]:
    for table in tables.metadata.sorted_tables:
        for column in table.columns:
            sort = next((sort for kind, sort in BOUNDED.items() if isinstance(column.type, kind)), None)
            fitting = [f"abs({column.name}) <= {MOST[sort]}"] if sort is not None else []
            fitting += [f"{column.name} {narrower}"] if (narrower := NARROWER.get(str(column))) is not None else []
            beyond = f"SELECT count(*) FROM {table.name} WHERE NOT ({' AND '.join(fitting)})"
            if fitting and connection.scalar(text(beyond)):
                yield f"{table.name} holds what is no {column.name}"
        yield from _unreadable(connection, table)


def _wrong_values(connection: Connection) -> Iterator[str]:
    for table in tables.metadata.sorted_tables:
        for column in table.columns:
            if connection.scalar(text(_counting_wrong(table, column))):
                yield f"{table.name} holds what is no {column.name}"
        yield from _unreadable(connection, table)


def _counting_wrong(table: Table, column: Column[Any]) -> str:
    sorts = next((sorts for kind, sorts in SORTS.items() if isinstance(column.type, kind)), ("text",))
    fitting = [f"typeof({column.name}) = '{sort}'{_within(column.name, sort)}" for sort in sorts]
    if (narrower := NARROWER.get(str(column))) is not None:
        fitting = [f"{one} AND {column.name} {narrower}" for one in fitting]
    if column.nullable:
        fitting.append(f"{column.name} IS NULL")
    return f"SELECT count(*) FROM {table.name} WHERE NOT ({' OR '.join(fitting)})"


def _within(name: str, sort: str) -> str:
    return f" AND abs({name}) <= {MOST[sort]}" if sort in MOST else ""


def _unreadable(connection: Connection, table: Table) -> Iterator[str]:
    """Yield what is of the right sort but can't be read: text or times that are none, JSON of another shape."""
    columns = [one for one in table.columns if not isinstance(one.type, (Float, Integer))]
    try:
        for row in connection.execute(select(*columns)):
            if table is tables.rigs:
                rig_words(row.facts)
            if not all(are_numbers(value) for value in row if isinstance(value, bytes)):
                yield f"{table.name} holds times that are no numbers"
                return
    except Exception as error:  # of whatever kind: nothing that Unvek has written raises one
        yield f"{table.name} can't be read: {type(error).__name__}: {error}"
