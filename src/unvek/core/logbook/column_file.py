"""The runs' columns in a file of their own beside the database, in Arrow's IPC format, which is read as arrays.

It is never the truth: whoever asks says how the database stands (a `Stamp`), and gets columns only of a file that was
made of rows that are still as they were. A file that is missing, behind, cut off or damaged is made again.
"""

import json
import mmap
import os
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any
from zlib import crc32

import numpy as np
from numpy.typing import NDArray

from unvek.core.held_folder import file_rights_in, open_plain
from unvek.core.logbook.array_columns import HELD_AS, SORTS, ArrayColumns
from unvek.core.logbook.run_columns import Coded

NAME = "runs.arrow"
VERSION = 1  # of what stands in it: another version's file is made again
ABOUT, CHECK = b"unvek", b"unvek-check"


@dataclass(frozen=True, slots=True)
class Stamp:
    """How the database stands: how often a run was changed, and the last run, by number and id."""

    changed: int
    last: int
    last_id: str


class ColumnFile:
    """The file of a logbook's folder."""

    def __init__(self, folder: Path):
        self._path = folder / NAME

    def read(self) -> tuple[Stamp, ArrayColumns] | None:
        """Return the columns and what they were made of; None where there are none, or not as they were written."""
        import pyarrow

        try:
            with os.fdopen(open_plain(self._path), "rb") as file:
                mapped = mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ)
            batch = pyarrow.ipc.open_file(pyarrow.py_buffer(mapped)).get_batch(0)
            words = batch.schema.metadata[ABOUT]
            about = json.loads(words)
            if int(batch.schema.metadata[CHECK]) != crc32(words) or about["version"] != VERSION:
                return None
            arrays = {name: batch.column(name).to_numpy() for name in SORTS}
            if not all(_is_as_written(name, array, about) for name, array in arrays.items()):
                return None
            if hasattr(mmap, "MADV_DONTNEED"):  # what was only looked through is held no longer
                mapped.madvise(mmap.MADV_DONTNEED)
            values = about["values"]
            columns = {name: Coded(a, tuple(values[name])) if name in values else a for name, a in arrays.items()}
            return Stamp(**about["stamp"]), ArrayColumns(columns, len(batch))
        except (OSError, ValueError, KeyError, TypeError, pyarrow.ArrowException):
            return None

    def write(self, columns: ArrayColumns, stamp: Stamp) -> None:
        """Put the columns in the file's place; where that can't be, there is none."""
        import pyarrow

        arrays = {name: _numbers(columns.raw(name)) for name in SORTS}
        about = {
            "version": VERSION, "stamp": asdict(stamp),
            "values": {name: list(one.values) for name in SORTS if isinstance(one := columns.raw(name), Coded)},
            "checks": {name: crc32(array.data) for name, array in arrays.items()},
        }  # fmt: skip
        batch = pyarrow.record_batch([pyarrow.array(array) for array in arrays.values()], list(arrays))
        words = json.dumps(about).encode()
        batch = batch.replace_schema_metadata({ABOUT: words, CHECK: str(crc32(words)).encode()})
        making = self._path.with_name(f"{NAME}.{os.getpid()}")
        try:
            fd = os.open(making, os.O_WRONLY | os.O_CREAT | os.O_EXCL, file_rights_in(self._path.parent))
            with os.fdopen(fd, "wb") as file, pyarrow.ipc.new_file(file, batch.schema) as writer:
                writer.write_batch(batch)
            making.replace(self._path)
        except OSError:  # a full disk, a folder that can't be written
            making.unlink(missing_ok=True)


def _is_as_written(name: str, array: NDArray[Any], about: Mapping[str, Any]) -> bool:
    return array.dtype == HELD_AS[SORTS[name][0]] and crc32(array.data) == about["checks"][name]


def _numbers(column: NDArray[Any] | Coded) -> NDArray[Any]:
    found = column.codes if isinstance(column, Coded) else column
    return np.ascontiguousarray(found)
