"""Runs as many Parquet files in folders by machine and day, which any engine for tables reads as one table.

The folders are named as such engines read them: rig=FINGERPRINT/day=2026-11-27. What stands in the files is what a file
of `export` has; the folders' names are told by it, too, so that nothing is lost where somebody reads the files alone.
"""

import hashlib
import shutil
from collections import OrderedDict
from collections.abc import Iterable, Iterator, Sequence
from hashlib import file_digest
from pathlib import Path
from typing import TYPE_CHECKING, Any
from urllib.parse import quote

from unvek.core.errors import InputError
from unvek.core.exchange.files import PARQUET, ParquetRows, Row, Sorts, read_rows

if TYPE_CHECKING:
    pass

UNKNOWN_DAY = "unknown"
MOST_OPEN = 16  # files written at once; another one closes that which was longest without a row
MOST_FILES = 100_000


def write_dataset(rows: Iterable[Row], columns: Sequence[str], folder: Path, sorts: Sorts) -> tuple[int, int]:
    """Write rows into a new folder, whole or not at all, and return how many runs and how many files.

    InputError where something is there already; OSError where it can't be written.
    """
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise InputError(f"there is something in {folder} already; choose a folder that is new, or empty")
    part = folder.with_name(folder.name + ".part")
    shutil.rmtree(part, ignore_errors=True)
    writing = _Writing(part, columns, sorts)
    try:
        part.mkdir(parents=True)
        for row in rows:
            writing.put(row)
        writing.close()
        if folder.exists():
            folder.rmdir()
        part.rename(folder)
    finally:
        writing.close()
        shutil.rmtree(part, ignore_errors=True)
    return writing.runs, writing.files


class _Writing:
    """The files that are being written, each with what it is to hold."""

    def __init__(self, folder: Path, columns: Sequence[str], sorts: Sorts):
        self._folder, self._columns, self._sorts = folder, columns, sorts
        self._open: OrderedDict[tuple[str, str], ParquetRows] = OrderedDict()
        self._begun: dict[tuple[str, str], int] = {}
        self._facts: dict[str, Any] = {}
        self.runs = self.files = 0

    def put(self, row: Row) -> None:
        machine = str(row.get("machine") or "unknown")
        if "machine_facts" in row:
            self._facts[machine] = row["machine_facts"]
        key = (machine, str(row.get("started") or UNKNOWN_DAY)[:10])
        if key not in self._open:
            self._begin(key)
            # An export says once what a machine is; each of these files is to be read alone.
            row = {**row, "machine_facts": self._facts.get(machine)}
        self._open.move_to_end(key)
        self._open[key].put(row)
        self.runs += 1

    def _begin(self, key: tuple[str, str]) -> None:
        while len(self._open) >= MOST_OPEN:
            self._open.popitem(last=False)[1].close()
        machine, day = (quote(one, safe="") for one in key)
        folder = self._folder / f"rig={machine}" / f"day={day}"
        folder.mkdir(parents=True, exist_ok=True)
        number = self._begun.get(key, 0)
        self._begun[key] = number + 1
        self._open[key] = ParquetRows(folder / f"runs-{number}{PARQUET}", self._columns, self._sorts)
        self.files += 1

    def close(self) -> None:
        while self._open:
            self._open.popitem()[1].close()


def files_of(folder: Path) -> list[Path]:
    """Return the files of such a folder, in an order that is always the same; InputError where there are none."""
    found = sorted(path for path in folder.rglob(f"*{PARQUET}") if path.is_file() and not path.is_symlink())
    if not found:
        raise InputError(f"there is no Parquet file in {folder}; 'unvek export --dataset FOLDER' writes such a folder")
    if len(found) > MOST_FILES:
        raise InputError(f"{folder} has {len(found)} Parquet files; at most {MOST_FILES} are read at once")
    return found


def rows_of_dataset(folder: Path) -> Iterator[tuple[str, Sequence[str] | None, Row]]:
    """Yield (where, header or None, row) of every file, as `read_rows` does of one."""
    for path in files_of(folder):
        for line, header, row in read_rows(path):
            yield f"{path.relative_to(folder)}, line {line}", header, row


def digest_of(path: Path) -> str:
    """Return the SHA-256 of a file; of a folder that of the names and digests of its files."""
    if not path.is_dir():
        with open(path, "rb") as file:
            return file_digest(file, "sha256").hexdigest()
    whole = hashlib.sha256()
    for one in files_of(path):
        whole.update(f"{one.relative_to(path)}\0{digest_of(one)}\n".encode("utf-8", "surrogateescape"))
    return whole.hexdigest()
