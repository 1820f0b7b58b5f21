"""Bringing an older logbook up to date: a copy is made first, then all steps are taken in one transaction."""

import os
import sqlite3
from collections.abc import Callable, Mapping
from contextlib import closing
from pathlib import Path

from unvek.core.errors import LogbookError


def _to_4(database: sqlite3.Connection) -> None:
    from unvek.core.logbook.upgrades.to_4 import bring_to_4  # here: who opens a logbook of today starts without it

    bring_to_4(database)


# By the version that they start from, what brings a logbook one version on: statements, or a function.
STEPS: Mapping[int, tuple[str | Callable[[sqlite3.Connection], None], ...]] = {
    1: (
        "ALTER TABLE runs ADD COLUMN trial BOOLEAN NOT NULL DEFAULT 0",
        "ALTER TABLE runs ADD COLUMN energy_j FLOAT",
        "ALTER TABLE runs ADD COLUMN others_share FLOAT",
        "ALTER TABLE runs ADD COLUMN stolen_share FLOAT",
        "ALTER TABLE runs ADD COLUMN forecast_low_s FLOAT",
        "ALTER TABLE runs ADD COLUMN forecast_high_s FLOAT",
        "ALTER TABLE runs ADD COLUMN forecast_basis VARCHAR",
        "ALTER TABLE run_details ADD COLUMN machine JSON NOT NULL DEFAULT '{}'",
        "CREATE INDEX runs_by_launch ON runs (launch, place)",
        "CREATE INDEX runs_by_round ON runs (variant, round)",
        "CREATE TABLE notes (number INTEGER NOT NULL PRIMARY KEY, run INTEGER NOT NULL REFERENCES runs (number), "
        "noted_at VARCHAR NOT NULL, text TEXT NOT NULL)",
        "CREATE INDEX notes_by_run ON notes (run)",
        "CREATE TABLE forecasts (number INTEGER NOT NULL PRIMARY KEY, made_at VARCHAR NOT NULL, "
        "title VARCHAR NOT NULL, runs INTEGER NOT NULL, low_s FLOAT NOT NULL, high_s FLOAT NOT NULL, took_s FLOAT)",
    ),
    2: (
        "ALTER TABLE run_details ADD COLUMN piece_times_s BLOB NOT NULL DEFAULT ''",
        "ALTER TABLE run_details ADD COLUMN requests JSON NOT NULL DEFAULT '[]'",
    ),
    3: (_to_4,),
    4: (
        "CREATE TABLE ballots (number INTEGER NOT NULL PRIMARY KEY, id VARCHAR NOT NULL UNIQUE, "
        "made_at VARCHAR NOT NULL, asks VARCHAR NOT NULL, title TEXT NOT NULL, questions JSON NOT NULL, "
        "alike JSON NOT NULL)",
        "CREATE TABLE judges (number INTEGER NOT NULL PRIMARY KEY, name VARCHAR NOT NULL, sort VARCHAR NOT NULL, "
        "digest VARCHAR NOT NULL, made_of JSON NOT NULL, simulated BOOLEAN NOT NULL, UNIQUE (name, sort, digest))",
        "CREATE TABLE verdicts (number INTEGER NOT NULL PRIMARY KEY, id VARCHAR NOT NULL, "
        "judge INTEGER NOT NULL REFERENCES judges (number), ballot INTEGER REFERENCES ballots (number), "
        "question VARCHAR NOT NULL, asks VARCHAR NOT NULL, left_run INTEGER NOT NULL REFERENCES runs (number), "
        "right_run INTEGER REFERENCES runs (number), left_digest VARCHAR NOT NULL, right_digest VARCHAR, "
        "again VARCHAR, place BIGINT NOT NULL, unasked BOOLEAN NOT NULL, answer JSON NOT NULL, "
        "why TEXT NOT NULL, unreadable TEXT, took_s FLOAT, "
        "flips BIGINT, judged_at VARCHAR NOT NULL, usage JSON NOT NULL, doubts JSON NOT NULL, voided TEXT)",
        "CREATE INDEX verdicts_by_judge ON verdicts (judge)",
        "CREATE TABLE verdict_notes (number INTEGER NOT NULL PRIMARY KEY, "
        "verdict INTEGER NOT NULL REFERENCES verdicts (number), noted_at VARCHAR NOT NULL, text TEXT NOT NULL)",
    ),
}
FORMAT_VERSION = 1 + max(STEPS)  # today's


def bring_up_to_date(database: Path, version: int) -> Path:
    """Take a logbook from an older version to today's; return where the copy of the old one lies.

    Raises LogbookError, with the logbook as it was, where that can't be done.
    """
    copy = database.with_name(f"{database.stem}-version-{version}{database.suffix}")
    try:
        with closing(sqlite3.connect(database, timeout=30, isolation_level=None)) as old:
            old.execute("BEGIN IMMEDIATE")  # no other process writes, or does the same, meanwhile
            if _version(old) == version:
                _copy(database, copy)
                for step in (step for number in range(version, FORMAT_VERSION) for step in STEPS[number]):
                    if isinstance(step, str):
                        old.execute(step)
                    else:
                        step(old)
                old.execute("UPDATE about SET value = ? WHERE key = 'format_version'", (str(FORMAT_VERSION),))
            old.execute("COMMIT")
    except (sqlite3.Error, OSError, ValueError, KeyError, TypeError) as error:
        raise LogbookError(
            f"{database} is of format {version}, and could not be brought to format {FORMAT_VERSION}: {error}. It is "
            "as it was; make its folder writable, with room for a copy, and try again"
        ) from error
    return copy


def _version(connection: sqlite3.Connection) -> int:
    return int(connection.execute("SELECT value FROM about WHERE key = 'format_version'").fetchone()[0])


def _copy(database: Path, copy: Path) -> None:
    """Copy what readers see now; a copy that is there already, from a try that was cut off, is replaced."""
    copy.unlink(missing_ok=True)
    os.close(os.open(copy, os.O_CREAT | os.O_EXCL, database.stat().st_mode & 0o666))
    with closing(sqlite3.connect(database)) as source, closing(sqlite3.connect(copy)) as target:
        source.backup(target)
