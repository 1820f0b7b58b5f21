"""What a logbook needs of a database beyond its tables."""

from contextlib import AbstractContextManager
from typing import Protocol

from sqlalchemy import Connection, Engine

from unvek.core.errors import LogbookError


class Backend(Protocol):
    """A database that holds a logbook, or is to hold one.

    Its engine begins a transaction with the execution option `writes` so that no other writes beside it, and any other
    so that all that is read in it is of one moment; a transaction that writes is durable when it is over.
    """

    @property
    def engine(self) -> Engine: ...

    @property
    def name(self) -> str:
        """What the database is called in what a user reads."""

    def is_there(self) -> bool:
        """Whether there is a logbook in it."""

    def make(self) -> None:
        """Make an empty logbook where there is none, whole or not at all. LogbookError where that can't be."""

    def bring_up_to_date(self, version: int) -> None:
        """Take a logbook from an older version to today's, whole or not at all; LogbookError where that can't be."""

    def quick_damage(self, connection: Connection) -> str | None:
        """Return what is wrong with the database's own pages, where it can tell."""

    def damage(self, connection: Connection) -> str | None:
        """Return what is wrong in all of it, the first that is found."""

    def counts_changes(self, connection: Connection) -> bool:
        """Whether the database counts every change of a run, whoever makes it (change_counting.py)."""

    def count_changes(self, connection: Connection) -> None:
        """Have it count them from now on."""

    @property
    def of_driver(self) -> tuple[type[Exception], ...]:
        """What is raised where rows are put or read by the driver itself."""

    def told(self, error: Exception) -> LogbookError:
        """Word what went wrong, so that the user knows what to do."""

    def holding(self, rig: str) -> AbstractContextManager[bool]:
        """Hold it that this machine makes runs, for as long as this lasts; False where another of its name does."""

    def within(self, seconds: float) -> AbstractContextManager[None]:
        """Have what is asked meanwhile fail as out of reach, where the database says nothing for so long."""

    def close(self) -> None: ...
