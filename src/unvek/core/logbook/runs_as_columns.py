"""Every run as columns in arrays: read in blocks, and where there are many, kept beside the database as arrays."""

import json
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, Any

from sqlalchemy import ColumnElement, Connection, func, select, type_coerce
from sqlalchemy.types import NullType

from unvek.core.errors import LogbookError
from unvek.core.logbook import tables
from unvek.core.logbook.change_counting import CHANGED
from unvek.core.logbook.column_types import is_server, readers_of_plain
from unvek.core.logbook.rows import RunRow
from unvek.core.logbook.run_table import RunTable, uncollected
from unvek.core.logbook.slots import FilledSlots

if TYPE_CHECKING:  # a list of runs wants no NumPy
    from unvek.core.logbook.array_columns import ArrayColumns
    from unvek.core.logbook.column_file import Stamp

MANY = 20_000  # runs, from which on a file of columns is worth its making
BEHIND = 0.05  # share of the rows by which such a file may be behind before it is made again
BLOCK = 10_000  # rows read at once


class RunsAsColumns(FilledSlots):
    """A logbook that gives the runs of plans as columns."""

    def last_run(self) -> int:
        """Return the number of the run that was kept last; 0 where there is none."""
        found = self._first(select(func.max(tables.runs.c.number)))
        return int(found[0] or 0) if found is not None else 0

    def run_columns(self) -> RunTable[RunRow]:
        """Return every run of a plan, in the order in which they were made, with columns as arrays."""
        from unvek.core.logbook.column_file import ColumnFile  # a list of runs wants no NumPy

        file = ColumnFile(self.folder.path) if self.last_run() >= MANY and self._counts_changes() else None
        kept = file.read() if file is not None else None
        with uncollected(), self._reading() as connection:
            stamp = _stamp(connection)
            if kept is not None and not _stands(connection, kept[0], stamp):
                kept = None
            more = _rows_after(connection, kept[0].last if kept is not None else 0)
        columns = more if kept is None else kept[1].followed_by(more) if len(more) else kept[1]
        if file is not None and (kept is None or len(more) > BEHIND * len(columns)):
            file.write(columns, stamp)
        return RunTable(columns, RunRow)

    def _counts_changes(self) -> bool:
        """Have the database count changes of runs from now on; False where it can't be written."""
        with self._reading() as connection:
            if self._backend.counts_changes(connection):
                return True
        try:
            with self._writing() as connection:
                self._backend.count_changes(connection)
        except LogbookError:
            return False
        return True


def _stamp(connection: Connection) -> "Stamp":
    from unvek.core.logbook.column_file import Stamp

    runs, about = tables.runs.c, tables.about.c
    last = connection.execute(select(runs.number, runs.id).order_by(runs.number.desc()).limit(1)).first()
    changed = connection.scalar(select(about.value).where(about.key == CHANGED))
    return Stamp(int(changed or 0), last.number if last is not None else 0, last.id if last is not None else "")


def _stands(connection: Connection, made_of: "Stamp", now: "Stamp") -> bool:
    """Whether the rows that a file was made of are still as they were, in this database and no copy of another time."""
    runs = tables.runs.c
    identity = connection.scalar(select(runs.id).where(runs.number == made_of.last))
    return bool(made_of.changed == now.changed and identity == made_of.last_id)


def _rows_after(connection: Connection, number: int) -> "ArrayColumns":
    """Read the runs of plans behind this number, block by block."""
    from unvek.core.logbook.array_columns import SORTS, ColumnsBuilding

    runs = tables.runs.c
    names = [name for name in SORTS if name in runs]
    building = ColumnsBuilding(names)
    for rows in plain_rows(connection, names, False, [runs.number > number]):
        building.take(rows)
    readers = readers_of_plain(connection.dialect, tables.runs, names)
    return building.whole({**readers, "varied": json.loads}, rigs_of_launches(connection))


def plain_rows(
    connection: Connection,
    names: Sequence[str],
    trials: bool,
    where: Sequence[ColumnElement[bool]],
    most: int | None = None,
) -> Iterator[Sequence[Sequence[Any]]]:
    """Yield these columns of runs as the driver gives them, block by block, in the order in which runs were made.

    most: how many of the first that fit, if not all.
    """
    runs = tables.runs.c
    query = (
        select(*(type_coerce(runs[name], NullType) for name in names))
        .where(runs.trial.is_(trials), *where)
        .order_by(runs.number)
        .limit(most)
    )
    if is_server(connection.dialect):  # which is asked for a block at a time, and not for all
        with connection.execution_options(stream_results=True, max_row_buffer=BLOCK).execute(query) as found:
            yield from found.partitions(BLOCK)
        return
    cursor = connection.execute(query).cursor  # the driver's own: its rows are plain tuples
    while cursor is not None and (rows := cursor.fetchmany(BLOCK)):
        yield rows


def rigs_of_launches(connection: Connection) -> dict[int, str]:
    launches = tables.launches.c
    return {row.number: row.rig for row in connection.execute(select(launches.number, launches.rig))}
