"""The logbook's database, whichever it is: opened in the right way, with every way that this can fail in words."""

from collections.abc import Generator, Iterator
from contextlib import AbstractContextManager, closing, contextmanager, suppress
from pathlib import Path
from typing import Any, Self, TypeVar

from sqlalchemy import Connection, Engine, Row, Select, select
from sqlalchemy.exc import DatabaseError, IntegrityError, InterfaceError

from unvek.core.errors import LogbookError, LogbookUnreachableError, UnvekError
from unvek.core.logbook import tables
from unvek.core.logbook.backend import Backend
from unvek.core.logbook.folder import OWNERS, LogbookFolder, told_of_disk
from unvek.core.logbook.inserting import KEEP, insert_new
from unvek.core.logbook.place import Place, as_place
from unvek.core.logbook.sqlite_backend import CLOSED, Sqlite, damaged
from unvek.core.logbook.upgrades.chain import FORMAT_VERSION

AT_A_TIME = 2000  # rows
FAILED = (DatabaseError, InterfaceError)
Value = TypeVar("Value")


class Database:
    """An open database. Reading and writing go through short transactions of their own."""

    def __init__(self, folder: LogbookFolder, backend: Backend, place: Place):
        self.folder = folder
        self.place = place
        self._backend = backend

    @property
    def _engine(self) -> Engine:
        return self._backend.engine

    @property
    def _failing(self) -> tuple[type[Exception], ...]:
        """What is raised where the database fails."""
        return (*FAILED, *self._backend.of_driver)

    @property
    def name(self) -> str:
        """What the logbook is called in what a user reads."""
        return self.place.name

    @classmethod
    def make_or_open(cls, where: Place | Path) -> Self:
        """Open the logbook in this folder to make runs into it, made where there is none.

        Raises LogbookError where it can't be written, is damaged, or is of a newer Unvek.
        """
        logbook = cls._at(where)
        with logbook._closing_at_failure():
            logbook.folder.make()
            if not logbook._is_there():
                logbook._backend.make()
            logbook._bring_up_to_date()
            logbook._refuse_if_damaged()
            logbook._close_to_others()
        return logbook

    @classmethod
    def open(cls, where: Place | Path) -> Self:
        """Open the logbook there; LogbookError where there is none or it is of a newer Unvek."""
        logbook = cls._at(where)
        with logbook._closing_at_failure():
            if not logbook._is_there():
                raise LogbookError(f"there is no logbook in {logbook.name}")
            logbook._bring_up_to_date()
        return logbook

    @classmethod
    def is_in(cls, where: Place | Path) -> bool:
        """Whether there is a logbook there; LogbookError where that can't be found out."""
        logbook = cls._at(where)
        try:
            return logbook._is_there()
        finally:
            logbook.close()

    @classmethod
    @contextmanager
    def locked_at(cls, where: Place | Path) -> Iterator[tuple[Self, bool]]:
        """Hold the logbook there to write much into it, made where there is none; and say whether it is new."""
        place = as_place(where)
        folder = LogbookFolder(place.folder)
        folder.make()
        with folder.locked():
            is_new = not cls.is_in(place)
            with cls.make_or_open(place) as logbook:
                yield logbook, is_new

    @classmethod
    def _at(cls, where: Place | Path) -> Self:
        place = as_place(where)
        folder = LogbookFolder(place.folder)
        if place.address is None:
            return cls(folder, Sqlite(folder), place)
        from unvek.core.logbook.postgresql_backend import Postgresql  # here: who has no team starts without it

        return cls(folder, Postgresql(place.address), place)

    def within(self, seconds: float) -> AbstractContextManager[None]:
        """Have what is asked meanwhile fail as out of reach, where a server says nothing for so long."""
        return self._backend.within(seconds)

    def _is_there(self) -> bool:
        try:
            return self._backend.is_there()
        except FAILED as error:
            raise self._backend.told(error) from error

    @contextmanager
    def _closing_at_failure(self) -> Iterator[None]:
        try:
            yield
        except BaseException:
            self.close()
            raise

    def close(self) -> None:
        self._backend.close()
        self.folder.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, _: object) -> None:
        """Close it. What went wrong on the way to a reader may be the logbook's damage: then that is what is told.

        Not so where the reader has gone, as `head` does once it has its lines: a million runs take a minute to look at.
        """
        try:
            if isinstance(error, Exception) and not isinstance(error, UnvekError | BrokenPipeError):
                with suppress(LogbookUnreachableError):
                    self.tell_if_damaged()
        finally:
            self.close()

    @contextmanager
    def _writing(self) -> Iterator[Connection]:
        """Hold a transaction that no other process writes beside, from its beginning: what it reads stays true."""
        try:
            with self._engine.connect().execution_options(writes=True) as connection, connection.begin():
                yield connection
        except self._failing as error:
            if isinstance(error, IntegrityError):
                raise
            raise self._backend.told(error) from error
        except OSError as error:
            raise told_of_disk(self.folder.path, error) from error

    @contextmanager
    def _reading(self) -> Iterator[Connection]:
        try:
            with self._telling_of_damage(), self._engine.connect() as connection:
                yield connection
        except self._failing as error:
            raise self._backend.told(error) from error

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
        except (ValueError, TypeError) as error:
            raise damaged(self._backend.name, error) from error

    def _rows(self, query: Select[Any]) -> Generator[Row[Any], None, None]:
        with (
            self._reading() as connection,
            connection.execution_options(yield_per=AT_A_TIME).execute(query) as found,
        ):
            yield from found

    def _values(self, kind: type[Value], query: Select[Any]) -> Generator[Value, None, None]:
        """Yield each row as a value of this kind, whose fields the query's columns are named after."""
        with closing(self._rows(query)) as rows:  # who stops on the way lets go of the database at once
            for row in rows:
                yield kind(**row._mapping)

    def _value(self, kind: type[Value], query: Select[Any]) -> Value | None:
        """Return the first row as such a value; None where there is none."""
        row = self._first(query)
        return kind(**row._mapping) if row is not None else None

    def _first(self, query: Select[Any]) -> Row[Any] | None:
        with self._reading() as connection:
            return connection.execute(query).first()

    def _bring_up_to_date(self) -> None:
        found = self._version()
        if found > FORMAT_VERSION:
            raise LogbookError(f"{self.name} has format {found}; this one knows up to {FORMAT_VERSION}. "
                               "Nothing in it was changed: use the Unvek that made it, or a newer one")  # fmt: skip
        if found < FORMAT_VERSION:
            self._backend.bring_up_to_date(found)

    def _close_to_others(self) -> None:
        """Close a logbook of a time when all could read them: once, since its owner may open it again."""
        if self.place.is_team:
            return  # which has the rights of its server
        about = tables.about
        with self._reading() as connection:
            if connection.scalar(select(about.c.value).where(about.c.key == CLOSED)) is not None:
                return
        with self._telling_of_disk():
            self.folder.path.chmod(OWNERS)
        with self._writing() as connection:
            connection.execute(insert_new(connection, about, KEEP).values(key=CLOSED, value="1"))

    def _version(self) -> int:
        with self._reading() as connection:
            found = connection.scalar(select(tables.about.c.value).where(tables.about.c.key == "format_version"))
        if found is None or not found.isdecimal() or int(found) < 1:
            raise damaged(self._backend.name, f"its format is {found!r}")
        return int(found)

    def tell_if_damaged(self) -> None:
        """Read all of it, and raise LogbookError where it does not hold together, or a column holds what it can't."""
        with self._reading() as connection:
            found = self._backend.damage(connection)
        if found is not None:
            raise damaged(self._backend.name, found)

    def _refuse_if_damaged(self) -> None:
        """Write nothing into a database whose pages do not hold together."""
        with self._reading() as connection:
            found = self._backend.quick_damage(connection)
        if found is not None:
            raise damaged(self._backend.name, found)
