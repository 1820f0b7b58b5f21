"""A logbook's database in SQLite: a file in its folder."""

import os
import sqlite3
from contextlib import AbstractContextManager, nullcontext
from functools import cached_property
from pathlib import Path
from typing import Any
from urllib.parse import quote

from sqlalchemy import URL, Connection, Engine, create_engine, event, text
from sqlalchemy.exc import DatabaseError

from unvek.core.errors import LogbookError
from unvek.core.held_folder import file_rights_in
from unvek.core.logbook import tables
from unvek.core.logbook.change_counting import COUNT_UP, TRIGGERS
from unvek.core.logbook.folder import LogbookFolder, told_of_disk
from unvek.core.logbook.soundness import damage_in_file
from unvek.core.logbook.upgrades.chain import FORMAT_VERSION, bring_up_to_date

CLOSED = "closed_to_others"  # a key of `about`: its folder was made its owner's alone, or was from the beginning


class Sqlite:
    """The file of a folder; see `Backend`."""

    def __init__(self, folder: LogbookFolder):
        self._folder, self._path = folder, folder.database

    @cached_property
    def engine(self) -> Engine:
        return _engine(self._path)

    @property
    def name(self) -> str:
        return str(self._path)

    def is_there(self) -> bool:
        return self._path.is_file() and self._path.stat().st_size > 0

    def make(self) -> None:
        """Make it under another name and rename it: killed on the way, nothing half made is left."""
        making = self._path.with_name(self._path.name + ".making")
        engine = _engine(making)
        try:
            for left in self._folder.path.glob(f"{making.name}*"):  # of a making that was killed, its log too
                left.unlink()
            os.close(os.open(making, os.O_CREAT | os.O_EXCL, file_rights_in(self._folder.path)))
            with engine.connect().execution_options(writes=True) as connection, connection.begin():
                tables.metadata.create_all(connection)
                connection.execute(tables.about.insert().values(key="format_version", value=str(FORMAT_VERSION)))
                connection.execute(tables.about.insert().values(key=CLOSED, value="1"))
            engine.dispose()
            making.replace(self._path)
        except DatabaseError as error:
            raise self.told(error) from error
        except OSError as error:
            raise told_of_disk(self._folder.path, error) from error
        finally:
            engine.dispose()

    def bring_up_to_date(self, version: int) -> None:
        self.engine.dispose()
        bring_up_to_date(self._path, version)

    def quick_damage(self, connection: Connection) -> str | None:
        found = connection.scalar(text("PRAGMA quick_check(1)"))
        return str(found) if found != "ok" else None

    def damage(self, connection: Connection) -> str | None:
        return damage_in_file(connection)

    def counts_changes(self, connection: Connection) -> bool:
        found = connection.scalars(text("SELECT name FROM sqlite_master WHERE type = 'trigger'"))
        return set(TRIGGERS) <= set(found)

    def count_changes(self, connection: Connection) -> None:
        for name, what in TRIGGERS.items():
            connection.execute(text(f"DROP TRIGGER IF EXISTS {name}"))
            connection.execute(text(f"CREATE TRIGGER {name} AFTER {what} BEGIN {COUNT_UP}; END"))
        connection.execute(text(COUNT_UP))  # nobody knows what was changed while nothing was counted

    @property
    def of_driver(self) -> tuple[type[Exception], ...]:
        return (sqlite3.DatabaseError,)

    def told(self, error: Exception) -> LogbookError:
        said = str(getattr(error, "orig", error))
        if "full" in said or "disk I/O" in said:
            return LogbookError(f"the disk of the logbook {self.name} is full or can't be written ({said}). Every run "
                                "that was kept is safe; make room, and the same command goes on")  # fmt: skip
        if "readonly" in said or "unable to open" in said:
            return LogbookError(f"the logbook {self.name} can't be written ({said}); make it and its folder writable, "
                                "or choose another place with --logbook")  # fmt: skip
        return damaged(self.name, said)

    def holding(self, rig: str) -> AbstractContextManager[bool]:
        return nullcontext(True)  # the lock of the folder says it

    def within(self, seconds: float) -> AbstractContextManager[None]:
        return nullcontext()  # it waits for no more than another process, and for that so long as it was told

    def close(self) -> None:
        if "engine" in vars(self):
            self.engine.dispose()


def damaged(name: str, said: object) -> LogbookError:
    return LogbookError(f"the logbook {name} is damaged, or is no logbook ({said}). Nothing in it was changed: put a "
                        "copy of it in its place, or choose another place with --logbook")  # fmt: skip


def _engine(path: Path) -> Engine:
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
