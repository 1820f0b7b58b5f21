"""A logbook's database in PostgreSQL, which a team shares."""

import logging
import os
import socket
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from threading import Timer
from typing import Any

from sqlalchemy import Connection, Engine, create_engine, event, inspect, make_url, select, text
from sqlalchemy.exc import ArgumentError, DatabaseError, NoSuchModuleError

from unvek.core.errors import InputError, LogbookError, LogbookUnreachableError
from unvek.core.logbook import tables
from unvek.core.logbook.change_counting import COUNT_UP, TRIGGERS
from unvek.core.logbook.soundness import damage_in_values
from unvek.core.logbook.upgrades.chain import FORMAT_VERSION
from unvek.core.plan.addresses import SCHEME, without_secrets

MACHINES = 0x756E76  # of the locks of machines that make runs, each by its fingerprint
WRITERS = 0x756E76656B  # the key of the lock that whoever writes holds: no two writers give the same number to a run
LOCK = f"SELECT pg_advisory_xact_lock({WRITERS})"
FIRST_VERSION = 5  # no logbook in this database is older
# By the version that they start from, the statements that bring a logbook one version on.
STEPS: Mapping[int, tuple[str, ...]] = {}
SETTINGS = (
    "synchronous_commit=on",  # a run that was kept is on the server's disk, whatever the server thinks is enough
    "lock_timeout=30s",
    "idle_in_transaction_session_timeout=10min",  # who holds the lock and is gone does not hold it for ever
    "TimeZone=UTC",
)
# A cable that was pulled is noticed within seconds, and not after a quarter of an hour.
PATIENCE = {
    "connect_timeout": "10", "tcp_user_timeout": "15000", "keepalives_idle": "10", "keepalives_interval": "5",
    "keepalives_count": "3",
}  # fmt: skip
COUNTING = "unvek_count_changes"
# By the first letters of the server's code, what it can't do for now: the machine's own folder serves meanwhile.
FOR_NOW = ("08", "53", "55P03", "57P", "58", "40", "25P03")
DISK_FULL, NO_RIGHT, NO_DATABASE, WRONG_PASSWORD = "53100", "42501", "3D000", "28"


# What went wrong is told by errors; what the libraries log of it would stand beside that on the terminal.
for library in ("psycopg", "sqlalchemy"):
    logging.getLogger(library).addHandler(logging.NullHandler())


class Postgresql:
    """The database at an address; see `Backend`."""

    def __init__(self, address: str):
        """InputError where the address can't be used, or what it takes is not installed."""
        self._name = without_secrets(address)
        self._open: set[Any] = set()  # the driver's connections that something may be asked by
        self.engine = _engine(address, self._name)
        event.listen(self.engine, "connect", lambda connection, _: self._open.add(connection))
        event.listen(self.engine, "close", lambda connection, _: self._open.discard(connection))

    @property
    def name(self) -> str:
        return self._name

    def is_there(self) -> bool:
        with self.engine.connect() as connection:
            return inspect(connection).has_table(tables.about.name)

    def make(self) -> None:
        """Make it in one transaction; whoever makes it at the same time waits, and finds it made."""
        with self._writing() as connection:
            there = set(inspect(connection).get_table_names())
            if tables.about.name in there:
                return
            if foreign := there & set(tables.metadata.tables):
                raise LogbookError(
                    f"{self.name} has a table {min(foreign)!r} of something else; a logbook wants a database, or a "
                    "schema, of its own"
                )
            tables.metadata.create_all(connection)
            tables.of_teams.create_all(connection)
            connection.execute(tables.about.insert().values(key="format_version", value=str(FORMAT_VERSION)))
            self.count_changes(connection)

    def bring_up_to_date(self, version: int) -> None:
        if version < FIRST_VERSION:
            raise LogbookError(f"{self.name} says it has format {version}, of which there is none in this database")
        about = tables.about
        of_version = about.c.key == "format_version"
        with self._writing() as connection:
            if connection.scalar(select(about.c.value).where(of_version)) != str(version):
                return  # another machine has done it meanwhile
            for step in (step for number in range(version, FORMAT_VERSION) for step in STEPS[number]):
                connection.execute(text(step))
            connection.execute(about.update().where(of_version).values(value=str(FORMAT_VERSION)))

    @property
    def _failing(self) -> tuple[type[Exception], ...]:
        return (DatabaseError, *self.of_driver)  # the lock is asked for by the driver itself

    @contextmanager
    def _writing(self) -> Iterator[Connection]:
        try:
            with self.engine.connect().execution_options(writes=True) as connection, connection.begin():
                yield connection
        except self._failing as error:
            raise self.told(error) from error

    def quick_damage(self, connection: Connection) -> str | None:
        return None  # the server looks after its pages

    def damage(self, connection: Connection) -> str | None:
        return damage_in_values(connection)

    def counts_changes(self, connection: Connection) -> bool:
        return True  # from its making on

    def count_changes(self, connection: Connection) -> None:
        connection.execute(text(
            f"CREATE FUNCTION {COUNTING}() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER SET search_path FROM "
            f"CURRENT AS $$ BEGIN {COUNT_UP}; RETURN NULL; END $$"
        ))  # fmt: skip
        for name, what in TRIGGERS.items():
            connection.execute(text(f"CREATE TRIGGER {name} AFTER {what} EXECUTE FUNCTION {COUNTING}()"))
        connection.execute(text(COUNT_UP))

    @property
    def of_driver(self) -> tuple[type[Exception], ...]:
        import psycopg  # its engine could not have been made without it

        return (psycopg.Error,)

    def told(self, error: Exception) -> LogbookError:
        cause = getattr(error, "orig", error)
        said = " ".join(str(cause).split())
        code = getattr(cause, "sqlstate", None) or ""
        if code == DISK_FULL:
            return LogbookUnreachableError(f"the disk of the server of {self.name} is full ({said}). Every run that "
                                           "was kept is safe; make room there")  # fmt: skip
        if code == NO_RIGHT:
            return LogbookError(f"your role may not do this in {self.name} ({said}). Ask whoever keeps the database "
                                "for the rights of a writer or a judge ('unvek team --help')")  # fmt: skip
        if code == NO_DATABASE:
            return LogbookError(f"there is no database at {self.name} ({said}); make one, with createdb for instance")
        if code.startswith(WRONG_PASSWORD) or "authentication failed" in said or "no password" in said:
            return LogbookError(f"{self.name} lets nobody in by this name and password ({said}). A password is taken "
                                "from PGPASSWORD or ~/.pgpass, never from a plan")  # fmt: skip
        if code.startswith(FOR_NOW) or not code:
            return LogbookUnreachableError(f"the logbook {self.name} can't be reached ({said}). Every run that was "
                                           "kept is safe")  # fmt: skip
        return LogbookError(f"{self.name} is no logbook, or is damaged ({said})")

    @contextmanager
    def holding(self, rig: str) -> Iterator[bool]:
        """The server lets go of it when the connection ends, however that ends."""
        held = self.engine.raw_connection()
        driver: Any = held.driver_connection
        held.detach()
        self._open.discard(driver)
        try:
            driver.autocommit = True
            words = f"SELECT pg_try_advisory_lock({MACHINES}, hashtext(%s))"
            yield bool(driver.execute(words, [rig]).fetchone()[0])
        finally:
            held.close()

    @contextmanager
    def within(self, seconds: float) -> Iterator[None]:
        """A server that has stopped without a word answers nothing, and nothing ends: then the connection is cut."""
        timer = Timer(seconds, self._cut)
        timer.daemon = True
        timer.start()
        try:
            yield
        finally:
            timer.cancel()

    def _cut(self) -> None:
        for driver in tuple(self._open):
            with suppress(Exception), socket.socket(fileno=os.dup(driver.fileno())) as line:
                line.shutdown(socket.SHUT_RDWR)

    def close(self) -> None:
        self.engine.dispose()


def _engine(address: str, name: str) -> Engine:
    try:
        url = make_url(address).set(drivername="postgresql+psycopg")
        given = {key: value for key, value in url.query.items() if key != "options"}
        settings = " ".join(f"-c {setting}" for setting in SETTINGS)
        asked = url.query.get("options", "")
        options = f"{settings} {asked if isinstance(asked, str) else ' '.join(asked)}".strip()
        connect = {"application_name": "unvek", **PATIENCE, **given, "options": options}
        engine = create_engine(url.set(query={}), connect_args=connect, pool_pre_ping=True, pool_size=2)
    except (NoSuchModuleError, ModuleNotFoundError) as error:
        raise InputError(
            f"{SCHEME}... wants what a team's logbook takes: pip install 'unvek[team]' ({error})"
        ) from error
    except (ArgumentError, ValueError) as error:
        raise InputError(f"{name!r} is no address of a database ({error})") from error

    @event.listens_for(engine, "begin")
    def begin(connection: Connection) -> None:
        writes = connection.get_execution_options().get("writes")
        driver: Any = connection.connection.driver_connection  # what is read as a stream here is the query behind it
        # A writer's statements each see what was written before it had the lock; a reader's all see one moment.
        driver.execute(LOCK if writes else "SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY")

    return engine
