"""The database of a logbook: opened in the right way, with every way that this can fail put into words."""

import errno
import os
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, Self, TypeVar
from urllib.parse import quote

from sqlalchemy import URL, Connection, Engine, Row, Select, create_engine, event, select, text
from sqlalchemy.exc import DatabaseError, IntegrityError

from unvek.core.errors import LogbookError, UnvekError
from unvek.core.held_folder import file_rights_in
from unvek.core.logbook import tables
from unvek.core.logbook.folder import OWNERS, LogbookFolder
from unvek.core.logbook.soundness import damage_in
from unvek.core.logbook.upgrades.chain import FORMAT_VERSION, bring_up_to_date

AT_A_TIME = 2000  # rows
CLOSED = "closed_to_others"  # a key of `about`: its folder was made its owner's alone, or was from the beginning
Value = TypeVar("Value")


class Database:
    """An open database. Reading and writing go through short transactions of their own."""

    def __init__(self, folder: LogbookFolder, engine: Engine):
        self.folder = folder
        self._engine = engine

    @classmethod
    def make_or_open(cls, path: Path) -> Self:
        """Open the logbook in this folder to make runs into it, made where there is none.

        Raises LogbookError where it can't be written, is damaged, or is of a newer Unvek.
        """
        folder = LogbookFolder(path)
        folder.make()
        if not (folder.database.is_file() and folder.database.stat().st_size > 0):
            cls._make(folder)
        logbook = cls(folder, _sqlite(folder.database))
        logbook._bring_up_to_date()
        logbook._refuse_if_damaged()
        logbook._close_to_others()
        return logbook

    @classmethod
    def _make(cls, folder: LogbookFolder) -> None:
        """Make an empty logbook under another name and rename it: killed on the way, nothing half made is left."""
        making = folder.database.with_name(folder.database.name + ".making")
        made = cls(folder, _sqlite(making))
        try:
            for left in folder.path.glob(f"{making.name}*"):  # of a making that was killed, its write-ahead log too
                left.unlink()
            os.close(os.open(making, os.O_CREAT | os.O_EXCL, file_rights_in(folder.path)))
            with made._writing() as connection:
                tables.metadata.create_all(connection)
                connection.execute(tables.about.insert().values(key="format_version", value=str(FORMAT_VERSION)))
                connection.execute(tables.about.insert().values(key=CLOSED, value="1"))
            made.close()
            making.replace(folder.database)
        except OSError as error:
            raise told_of_disk(folder.path, error) from error
        finally:
            made.close()

    @classmethod
    def open(cls, path: Path) -> Self:
        """Open the logbook in this folder; LogbookError where there is none or it is of a newer Unvek."""
        folder = LogbookFolder(path)
        if not folder.database.is_file():
            raise LogbookError(f"there is no logbook in {path}")
        logbook = cls(folder, _sqlite(folder.database))
        logbook._bring_up_to_date()
        return logbook

    def close(self) -> None:
        self._engine.dispose()
        self.folder.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, _: object) -> None:
        """Close it. What went wrong on the way to a reader may be the logbook's damage: then that is what is told."""
        try:
            if isinstance(error, Exception) and not isinstance(error, UnvekError):
                self.tell_if_damaged()
        finally:
            self.close()

    @contextmanager
    def _writing(self) -> Iterator[Connection]:
        """Hold a transaction that no other process writes beside, from its beginning: what it reads stays true."""
        try:
            with self._engine.connect().execution_options(writes=True) as connection, connection.begin():
                yield connection
        except DatabaseError as error:
            if isinstance(error, IntegrityError):
                raise
            raise self._told(error) from error
        except OSError as error:
            raise told_of_disk(self.folder.path, error) from error

    @contextmanager
    def _reading(self) -> Iterator[Connection]:
        try:
            with self._telling_of_damage(), self._engine.connect() as connection:
                yield connection
        except DatabaseError as error:
            raise self._told(error) from error

    @contextmanager
    def _telling_of_disk(self) -> Iterator[None]:
        try:
            yield
        except OSError as error:
            raise told_of_disk(self.folder.path, error) from error

    @contextmanager
    def _telling_of_damage(self) -> Iterator[None]:
        """Turn what a column holds that nobody put there into words."""
        try:
            yield
        except (ValueError, TypeError, sqlite3.DatabaseError) as error:  # the driver's own, where its rows are read
            raise LogbookError(_damaged(self.folder.database, error)) from error

    def _rows(self, query: Select[Any]) -> Iterator[Row[Any]]:
        with self._reading() as connection:
            yield from connection.execution_options(yield_per=AT_A_TIME).execute(query)

    def _values(self, kind: type[Value], query: Select[Any]) -> Iterator[Value]:
        """Yield each row as a value of this kind, whose fields the query's columns are named after."""
        for row in self._rows(query):
            yield kind(**row._mapping)

    def _first(self, query: Select[Any]) -> Row[Any] | None:
        with self._reading() as connection:
            return connection.execute(query).first()

    def _told(self, error: DatabaseError) -> LogbookError:
        said, path = str(error.orig), self.folder.database
        if "full" in said or "disk I/O" in said:
            return LogbookError(f"the disk of the logbook {path} is full or can't be written ({said}). Every run that "
                                "was kept is safe; make room, and the same command goes on")  # fmt: skip
        if "readonly" in said or "unable to open" in said:
            return LogbookError(f"the logbook {path} can't be written ({said}); make it and its folder writable, or "
                                "choose another place with --logbook")  # fmt: skip
        return LogbookError(_damaged(path, said))

    def _bring_up_to_date(self) -> None:
        found = self._version()
        if found > FORMAT_VERSION:
            raise LogbookError(f"{self.folder.path} has format {found}; this one knows up to {FORMAT_VERSION}. "
                               "Nothing in it was changed: use the Unvek that made it, or a newer one")  # fmt: skip
        if found < FORMAT_VERSION:
            self._engine.dispose()
            bring_up_to_date(self.folder.database, found)

    def _close_to_others(self) -> None:
        """Close a logbook of a time when all could read them: once, since its owner may open it again."""
        about = tables.about
        with self._reading() as connection:
            if connection.scalar(select(about.c.value).where(about.c.key == CLOSED)) is not None:
                return
        with self._telling_of_disk():
            self.folder.path.chmod(OWNERS)
        with self._writing() as connection:
            connection.execute(about.insert().prefix_with("OR IGNORE").values(key=CLOSED, value="1"))

    def _version(self) -> int:
        with self._reading() as connection:
            found = connection.scalar(select(tables.about.c.value).where(tables.about.c.key == "format_version"))
        if found is None or not found.isdecimal() or int(found) < 1:
            raise LogbookError(_damaged(self.folder.database, f"its format is {found!r}"))
        return int(found)

    def tell_if_damaged(self) -> None:
        """Read all of it, and raise LogbookError where it does not hold together, or a column holds what it can't."""
        with self._reading() as connection:
            found = damage_in(connection)
        if found is not None:
            raise LogbookError(_damaged(self.folder.database, found))

    def _refuse_if_damaged(self) -> None:
        """Write nothing into a database whose pages do not hold together."""
        with self._reading() as connection:
            found = connection.scalar(text("PRAGMA quick_check(1)"))
        if found != "ok":
            raise LogbookError(_damaged(self.folder.database, found))


def told_of_disk(path: Path, error: OSError) -> LogbookError:
    """Word what went wrong with a file of the logbook, so that the user knows what to do."""
    if error.errno in (errno.ENOSPC, errno.EDQUOT, errno.EFBIG):
        return LogbookError(f"the disk of the logbook {path} is full ({error.strerror}). Every run that was kept is "
                            "safe; make room, and the same command goes on")  # fmt: skip
    return LogbookError(f"the logbook {path} can't be written: {error.filename or ''} {error.strerror}")


def _damaged(path: Path, said: object) -> str:
    return (f"the logbook {path} is damaged, or is no logbook ({said}). Nothing in it was changed: put a copy of it in "
            "its place, or choose another place with --logbook")  # fmt: skip


def _sqlite(path: Path) -> Engine:
    engine = create_engine(_address(path), connect_args={"timeout": 30})

    @event.listens_for(engine, "connect")
    def set_durability(connection: Any, _: object) -> None:
        connection.isolation_level = None  # transactions begin where we say, and not where the driver thinks fit
        # Readers don't wait for the writer, and a transaction is on the disk when it is over.
        if _writable(path):
            connection.execute("PRAGMA journal_mode=WAL")
        connection.execute("PRAGMA synchronous=FULL")
        connection.execute("PRAGMA foreign_keys=ON")

    @event.listens_for(engine, "begin")
    def begin(connection: Connection) -> None:
        connection.exec_driver_sql("BEGIN IMMEDIATE" if connection.get_execution_options().get("writes") else "BEGIN")

    return engine


def _address(path: Path) -> URL:
    """Return the address of a database; one that can't be written is opened so that nothing needs to be."""
    if _writable(path):
        return URL.create("sqlite", database=str(path))
    how = {"mode": "ro", "uri": "true"}
    if not path.with_name(path.name + "-wal").exists():
        how["immutable"] = "1"
    return URL.create("sqlite", database=f"file:{quote(str(path))}", query=how)


def _writable(path: Path) -> bool:
    return os.access(path.parent, os.W_OK) and (not path.exists() or os.access(path, os.W_OK))
