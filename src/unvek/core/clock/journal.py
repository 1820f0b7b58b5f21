"""What keys have said, safe on disk the moment it is said: a line each, until the runs are in the logbook.

The file is held locked while its clock goes on; one that nobody holds was cut off, and waits to be filed.
"""

import fcntl
import json
import os
from collections.abc import Iterator
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any, TextIO

from unvek.core.clock.acts import Act, ClockSetup
from unvek.core.clock.lanes import Clock
from unvek.core.exchange.cells import machine_facts
from unvek.core.held_folder import file_rights_in, open_plain
from unvek.core.logbook.folder import LogbookFolder
from unvek.core.logbook.plan_record import typed

ROOM, ENDING = "clock", ".jsonl"
MOST_LINES, LONGEST_LINE = 200_000, 100_000


class ClockJournal:
    """The journal of one clock, held until it is closed."""

    def __init__(self, path: Path, file: TextIO):
        self.path, self._file = path, file

    @classmethod
    def begun(cls, folder: LogbookFolder, setup: ClockSetup) -> "ClockJournal":
        room = folder.path / ROOM
        room.mkdir(folder.path.stat().st_mode & 0o777, exist_ok=True)
        path = room / f"{setup.id}{ENDING}"
        fd = open_plain(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, file_rights_in(folder.path))
        fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
        journal = cls(path, os.fdopen(fd, "w", encoding="utf-8"))
        journal._write(asdict(setup))
        return journal

    def write(self, act: Act) -> None:
        """Put down what was said; it is on the disk when this returns."""
        self._write({name: value for name, value in asdict(act).items() if value not in ("", None)})

    def _write(self, content: dict[str, Any]) -> None:
        self._file.write(json.dumps(content) + "\n")
        self._file.flush()
        os.fsync(self._file.fileno())

    def close(self, filed: bool) -> None:
        """Let go of it, and take it away where its runs are in the logbook."""
        if filed:
            self.path.unlink(missing_ok=True)
        self._file.close()


def cut_off(folder: LogbookFolder) -> Iterator[tuple[Path, Clock | None]]:
    """Yield the journals that nobody holds, with what they say; None for one that can't be read.

    Each is held while it is worked on, so that two do not file the same.
    """
    for path in sorted((folder.path / ROOM).glob(f"*{ENDING}")):
        try:
            fd = open_plain(path)
        except OSError:
            continue
        with os.fdopen(fd, encoding="utf-8", errors="replace") as file:
            try:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                continue  # its clock goes on
            if path.exists():  # nobody has filed it meanwhile
                yield path, _read(file)


def _read(file: TextIO) -> Clock | None:
    """Read a journal; where a line was cut off, or says what no press says, all before it counts."""
    try:
        setup = typed(json.loads(file.readline(LONGEST_LINE)), ClockSetup)
        setup = replace(setup, rig_facts=machine_facts("rig_facts", setup.rig_facts))
        setup.check()
    except (ValueError, TypeError, RecursionError):
        return None
    clock = Clock(setup)
    for _ in range(MOST_LINES):
        line = file.readline(LONGEST_LINE)
        try:
            act = typed(json.loads(line), Act)
            act.check()
        except (ValueError, TypeError, RecursionError):
            break
        clock.take(act)
    return clock
